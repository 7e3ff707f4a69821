import {
  AddEquation,
  CustomBlending,
  DoubleSide,
  GLSL3,
  OneFactor,
  OneMinusSrcAlphaFactor,
  ShaderMaterial,
  SrcAlphaFactor,
  type Texture,
} from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { BASE_COLOUR, srgb } from '../drawings/clay.ts';

const vertexShader = /* glsl */ `
in float weight;
in vec3 tint;
in vec4 own;
out float vWeight;
out vec3 vTint;
out vec4 vOwn;
#ifdef PICTURE
out vec2 vUv;
#endif
void main() {
#ifdef PICTURE
  vUv = uv;
#endif
  vWeight = weight;
  vTint = tint;
  vOwn = own;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`;

const fragmentShader = /* glsl */ `
precision highp float;
${BASE_COLOUR}
uniform vec3 darkInk;
uniform vec3 paper;
uniform float ghost;
in float vWeight;
in vec3 vTint;
in vec4 vOwn;
out vec4 colour;
#ifdef PICTURE
uniform sampler2D picture;
in vec2 vUv;
#endif

void main() {
  vec4 own = vOwn;
#ifdef PICTURE
  vec4 seen = texture(picture, vUv);
  own = vec4(seen.rgb, seen.a * vOwn.a);
#endif
  // Where nothing is to be told the drawing shows, faintly, so that weights stand out from its colours.
  vec3 faint = mix(paper, own.rgb, 0.3);
  float told = view == 4 ? 0.0 : view == 3 ? 1.0 : smoothstep(0.0, 0.02, abs(vWeight));
  vec3 lit = view == 4 ? own.rgb : mix(faint, view == 2 ? faint : baseColour(vWeight, vTint), told);
  if (view <= 2 || view >= 6) {
    float amount = abs(vWeight);
    float tenths = amount * 10.0;
    float slope = max(fwidth(tenths), 1e-5);
    float nearest = floor(tenths + 0.5);
    float line = (1.0 - smoothstep(0.5, 1.3, abs(tenths - nearest) / slope)) * step(0.5, nearest) * step(nearest, 9.5);
    line *= 1.0 - smoothstep(0.35, 0.9, slope);
    vec3 lineColour = view != 2 && amount > 0.45 ? vec3(0.97, 0.95, 0.9) : darkInk;
    lit = mix(lit, lineColour, line * (view == 2 ? 0.85 : 0.6));
  }
  colour = vec4(lit, own.a * ghost);
}`;

/**
 * Fills and strokes of a flat character: one over the other in drawing order, unlit. It shares the model's uniforms, so
 * that it shows the same view.
 *
 * @param share how much of them is seen; as the stage says where undefined
 * @param picture what they are filled with, where that is a picture
 */
export function createFlatMaterial(
  clay: ShaderMaterial,
  tokens: Tokens,
  share?: number,
  picture?: Texture,
): ShaderMaterial {
  return new ShaderMaterial({
    glslVersion: GLSL3,
    vertexShader,
    fragmentShader,
    side: DoubleSide,
    toneMapped: false,
    depthTest: false,
    depthWrite: false,
    // Among what is opaque, in its given order; else everything transparent would come after the skeleton.
    blending: CustomBlending,
    blendEquation: AddEquation,
    blendSrc: SrcAlphaFactor,
    blendDst: OneMinusSrcAlphaFactor,
    // The canvas itself stays solid.
    blendSrcAlpha: OneFactor,
    blendDstAlpha: OneMinusSrcAlphaFactor,
    uniforms: {
      ...clay.uniforms,
      paper: { value: srgb(tokens.paper) },
      ...(share !== undefined && { ghost: { value: share } }),
      ...(picture && { picture: { value: picture } }),
    },
    defines: picture ? { PICTURE: '' } : {},
  });
}
