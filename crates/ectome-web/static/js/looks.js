// How surfaces look on the stage: lit, unlit, as an outline, with edges, coloured by a field.

import {
  Color, DoubleSide, Float32BufferAttribute, MeshBasicMaterial, MeshStandardMaterial,
} from '../vendor/three-stage.min.js';
import { CLAY, INK, VIRIDIS } from './colours.js';

const FIELD = VIRIDIS.map((hex) => new Color(hex));

/** Edges as a shader on unindexed triangles: thin, even, and fading out where they would fill the picture. */
export function withEdges(material, colour) {
  const before = material.onBeforeCompile;
  material.onBeforeCompile = (shader, renderer) => {
    before.call(material, shader, renderer);
    shader.uniforms.edgeColour = { value: new Color(colour) };
    shader.vertexShader = shader.vertexShader
      .replace('void main() {', `varying vec3 vEdge;
void main() {
  int corner = gl_VertexID % 3;
  vEdge = vec3(corner == 0, corner == 1, corner == 2);`);
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', `varying vec3 vEdge;
uniform vec3 edgeColour;
void main() {`)
      .replace('#include <dithering_fragment>', `#include <dithering_fragment>
  vec3 width = fwidth(vEdge);
  vec3 near = smoothstep(vec3(0.0), width * 1.1, vEdge);
  float line = 1.0 - min(min(near.x, near.y), near.z);
  float crowd = 1.0 - smoothstep(0.25, 0.8, max(max(width.x, width.y), width.z));
  gl_FragColor.rgb = mix(gl_FragColor.rgb, edgeColour, line * mix(0.25, 0.9, crowd));`);
  };
  return material;
}

/** The material of a surface in a view; `given` is the one its file has. */
export function lookOf(view, given, geometry) {
  const material = make(view, given);
  material.flatShading = !geometry.attributes.normal;
  material.side = DoubleSide;
  if (given.alphaTest > 0 && given.map) cutOut(material, given);
  return material;
}

// What is cut out by its opacity stays so in every view. Fronts and backs of cards lie in one plane: each is seen from its own side.
function cutOut(material, given) {
  material.alphaTest = given.alphaTest;
  material.side = given.side;
  if (material.map) return;
  material.map = given.map;
  material.onBeforeCompile = (shader) => {
    shader.fragmentShader = shader.fragmentShader.replace('#include <map_fragment>', 'diffuseColor.a *= texture2D( map, vMapUv ).a;');
  };
}

function make(view, given) {
  switch (view) {
    case 'outline': return new MeshBasicMaterial({ color: INK });
    case 'plain': return new MeshBasicMaterial({ color: given.color, map: given.map, vertexColors: given.vertexColors });
    case 'lit': return new MeshStandardMaterial({ color: CLAY, roughness: 0.85, metalness: 0 });
    default: {
      const material = given.clone();
      // No surroundings to mirror here: metal would turn black.
      material.metalness = Math.min(material.metalness, 0.15);
      return material;
    }
  }
}

/** Colours a surface by a figure at each vertex, from 0 to `most`. */
export function colourByField(geometry, name, most) {
  const field = geometry.attributes[name];
  const colours = new Float32Array(field.count * 3);
  const colour = new Color();
  for (let i = 0; i < field.count; i++) {
    const at = Math.min(1, Math.max(0, field.getX(i) / most)) * (FIELD.length - 1);
    const low = Math.min(Math.floor(at), FIELD.length - 2);
    colour.copy(FIELD[low]).lerp(FIELD[low + 1], at - low).toArray(colours, i * 3);
  }
  geometry.setAttribute('color', new Float32BufferAttribute(colours, 3));
  geometry.computeVertexNormals();
  return new MeshStandardMaterial({ vertexColors: true, roughness: 1, metalness: 0, side: DoubleSide });
}
