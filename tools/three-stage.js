// What the stage needs of three.js, bundled into one module by tools/vendor.sh.
export {
  AmbientLight, Box3, Color, DirectionalLight, DoubleSide, HemisphereLight, Group, MeshStandardMaterial,
  PerspectiveCamera, Scene, Sphere, SRGBColorSpace, Vector3, WebGLRenderer,
} from 'three';
export { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js';
export { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
