import type { Drawing } from '@judoka/core/drawing';
import { GLSL3, Group, ShaderMaterial } from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { BASE_COLOUR, srgb } from '../drawings/clay.ts';
import type { PartDrawing } from '../drawings/PartDrawing.ts';
import { createFlatMaterial } from './flatMaterial.ts';
import { LayerDrawing, type LayerMaterials } from './LayerDrawing.ts';

/** Sides of triangles are at least this share of the page's height. */
const SMALLEST = 1 / 400;
const ANCHOR_PX = 8;
const HANDLE_PX = 5;

/** All layers of a flat character on the stage. The parts' own meshes are picked on, and not drawn. */
export class FlatDrawing {
  readonly group = new Group();
  readonly #parts: readonly PartDrawing[];
  readonly layers: readonly LayerDrawing[];
  readonly materials: LayerMaterials;

  constructor(drawing: Drawing, parts: readonly PartDrawing[], clay: ShaderMaterial, tokens: Tokens) {
    this.#parts = parts;
    this.materials = {
      fill: createFlatMaterial(clay, tokens),
      anchors: pointMaterial(clay, tokens, ANCHOR_PX),
      handles: pointMaterial(clay, tokens, HANDLE_PX),
      lines: lineMaterial(tokens),
    };
    const smallest = drawing.page[3] * drawing.scale * SMALLEST;
    this.layers = parts.map(({ part, mesh }, i) => {
      mesh.material = NOT_DRAWN;
      return new LayerDrawing(
        part,
        drawing.layers[part.index],
        i,
        drawing,
        smallest,
        this.materials,
        mesh.geometry,
      );
    });
    this.group.add(...this.layers.map(({ group }) => group));
  }

  setPointsShown(shown: boolean): void {
    for (const layer of this.layers) layer.setPointsShown(shown);
  }

  posed(): void {
    for (const layer of this.layers) layer.posed();
  }

  /** What the view tells of the points of a part, or of all, is another. */
  reweighted(hasTints: boolean, index?: number): void {
    this.layers.forEach((layer, i) => {
      if (index !== undefined && index !== i) return;
      const { geometry } = this.#parts[i].mesh;
      layer.reweighted(
        geometry.getAttribute('weight').array as Float32Array,
        hasTints ? (geometry.getAttribute('tint').array as Uint8Array) : undefined,
      );
    });
  }

  /** Points of a part have moved and have other weights. */
  touched(index: number, hasTints: boolean): void {
    this.layers[index].posed();
    this.reweighted(hasTints, index);
  }

  dispose(): void {
    for (const layer of this.layers) layer.dispose();
    for (const material of Object.values(this.materials)) material.dispose();
  }
}

const NOT_DRAWN = new ShaderMaterial({ visible: false });

/** Dots of a size on the screen, filled with the ramp's colour and ringed with ink. */
function pointMaterial(clay: ShaderMaterial, tokens: Tokens, size: number): ShaderMaterial {
  return new ShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: {
      ...clay.uniforms,
      size: { value: size * Math.min(2, devicePixelRatio) },
      ring: { value: srgb(tokens.ink) },
    },
    vertexShader: /* glsl */ `
in float weight;
uniform float size;
out float vWeight;
void main() {
  vWeight = weight;
  gl_PointSize = size;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`,
    fragmentShader: /* glsl */ `
precision highp float;
${BASE_COLOUR}
uniform vec3 ring;
uniform float size;
in float vWeight;
out vec4 colour;
void main() {
  float far = length(gl_PointCoord - 0.5) * 2.0;
  if (far > 1.0) discard;
  vec3 inside = view == 3 || view == 4 ? clay : baseColour(vWeight, vec3(1.0));
  colour = vec4(far > 1.0 - 3.0 / size ? ring : inside, 1.0);
}`,
  });
}

const lineMaterial = (tokens: Tokens): ShaderMaterial =>
  new ShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: { ink: { value: srgb(tokens.ink) } },
    vertexShader: 'void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }',
    fragmentShader:
      'precision highp float; uniform vec3 ink; out vec4 colour; void main() { colour = vec4(ink, 1.0); }',
  });
