import { GLSL3, ShaderMaterial } from 'three';
import { DAY, type Tokens } from '../../ui/theme/tokens.ts';
import { BASE_COLOUR, srgb } from './clay.ts';

const OPACITY = 0.38;

const vertexShader = /* glsl */ `
in float weight;
in vec3 tint;
out float vWeight;
out vec3 vTint;
void main() {
  vWeight = weight;
  vTint = tint;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`;

const fragmentShader = /* glsl */ `
precision highp float;
${BASE_COLOUR}
uniform vec3 darkInk;
uniform vec3 lightInk;
in float vWeight;
in vec3 vTint;
out vec4 colour;
void main() {
  float lightness = dot(baseColour(vWeight, vTint), vec3(0.299, 0.587, 0.114));
  colour = vec4(mix(lightInk, darkInk, smoothstep(0.42, 0.52, lightness)), ${OPACITY});
}`;

/** Edges without a surface: in ink, and in the colour of the weight where there is some. */
const cageShader = /* glsl */ `
precision highp float;
${BASE_COLOUR}
uniform vec3 ink;
in float vWeight;
in vec3 vTint;
out vec4 colour;
void main() {
  float some = smoothstep(0.02, 0.3, vWeight);
  colour = vec4(mix(ink, baseColour(vWeight, vTint), some), mix(${OPACITY}, 1.0, some));
}`;

/** Draws edges over the surface: dark where it is light, light where it is dark. */
export class EdgeInk {
  readonly material: ShaderMaterial;
  /** Of a cage, whose surface is not drawn. */
  readonly cageMaterial: ShaderMaterial;

  /** @param clay the surface's material: edges see what it shows */
  constructor(clay: ShaderMaterial, tokens: Tokens) {
    const inked = (shader: string): ShaderMaterial =>
      new ShaderMaterial({
        glslVersion: GLSL3,
        vertexShader,
        fragmentShader: shader,
        transparent: true,
        toneMapped: false,
        uniforms: {
          ...clay.uniforms,
          lightInk: { value: srgb(DAY.paper) },
          ink: { value: srgb(tokens.ink) },
        },
      });
    this.material = inked(fragmentShader);
    this.cageMaterial = inked(cageShader);
  }

  dispose(): void {
    this.material.dispose();
    this.cageMaterial.dispose();
  }
}
