// The types of what tools/vendor.sh bundles: the same list as tools/three-stage.js. Only the check of types reads this.
export * from 'three';
export { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js';
export { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
