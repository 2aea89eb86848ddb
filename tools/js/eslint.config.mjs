// Lint of the scripts of the pages: what the check of types does not see.
const names = (list) => Object.fromEntries(list.split(' ').map((name) => [name, 'readonly']));

export default [
  {
    files: ['**/static/js/*.js'],
    ignores: ['**/vendor/**'],
    languageOptions: {
      ecmaVersion: 2023,
      sourceType: 'module',
      globals: names(
        'HTMLInputElement document window location history navigator self fetch URL URLSearchParams DOMParser FormData XMLHttpRequest '
        + 'DOMMatrix EventTarget MessageEvent EventSource SharedWorker BroadcastChannel Image Option MutationObserver ResizeObserver Path2D CustomEvent '
        + 'requestAnimationFrame cancelAnimationFrame getComputedStyle matchMedia setTimeout clearTimeout '
        + 'setInterval clearInterval console localStorage htmx',
      ),
    },
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: {
      'array-callback-return': 'error',
      'consistent-return': 'error',
      'default-case-last': 'error',
      eqeqeq: 'error',
      'no-constant-binary-expression': 'error',
      'no-constant-condition': 'error',
      'no-dupe-class-members': 'error',
      'no-dupe-keys': 'error',
      'no-duplicate-imports': 'error',
      'no-empty': 'error',
      'no-eval': 'error',
      'no-fallthrough': ['error', { allowEmptyCase: true }],
      'no-implied-eval': 'error',
      'no-redeclare': 'error',
      'no-self-compare': 'error',
      'no-shadow': 'error',
      'no-throw-literal': 'error',
      'no-undef': 'error',
      'no-unreachable': 'error',
      'no-unused-expressions': 'error',
      'no-unused-private-class-members': 'error',
      'no-unused-vars': 'error',
      'no-use-before-define': ['error', { functions: false, classes: false, variables: false }],
      'no-var': 'error',
      'object-shorthand': 'error',
      'prefer-const': 'error',
      'require-atomic-updates': 'off',
    },
  },
];
