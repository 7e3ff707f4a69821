import { Color, DoubleSide, GLSL3, ShaderMaterial } from 'three';
import type { WeightView } from '../../settings/uiSettings.ts';
import { rgbOf } from '../../ui/theme/rgbOf.ts';
import { APART, DAY, LESS, STRAIN_COLOURS, TIDE, type Tokens } from '../../ui/theme/tokens.ts';

/** `count` draws tints as `joints` does. */
const VIEW_NUMBER: Readonly<Record<WeightView, number>> = {
  tide: 0,
  grey: 1,
  lines: 2,
  joints: 3,
  count: 3,
  plain: 4,
  strain: 5,
  sides: 6,
  difference: 7,
  cost: 6,
  mask: 6,
  shape: 6,
};

// Colours are mixed as sRGB values, which is what the ramp's stops are given in.
const vertexShader = /* glsl */ `
in float weight;
in float stray;
in vec3 tint;
out vec3 vNormal;
out vec3 vPlace;
out float vWeight;
out float vStray;
out vec3 vTint;
void main() {
  vec4 place = modelViewMatrix * vec4(position, 1.0);
  vNormal = normalMatrix * normal;
  vPlace = place.xyz;
  vWeight = weight;
  vStray = stray;
  vTint = tint;
  gl_Position = projectionMatrix * place;
}`;

/** What colour the surface has before light falls on it: `baseColour(weight, tint)`. */
export const BASE_COLOUR = /* glsl */ `
uniform vec3 rampColours[${TIDE.length}];
uniform float rampStops[${TIDE.length}];
uniform vec3 apartColours[${APART.length}];
uniform float apartStops[${APART.length}];
uniform vec3 lessColours[${LESS.length}];
uniform vec3 clay;
uniform vec3 stretched;
uniform vec3 squeezed;
uniform int view;

vec3 ramp(float w) {
  vec3 result = rampColours[0];
  for (int i = 1; i < ${TIDE.length}; i++) {
    float t = clamp((w - rampStops[i - 1]) / (rampStops[i] - rampStops[i - 1]), 0.0, 1.0);
    result = mix(result, rampColours[i], t);
  }
  return result;
}

vec3 apartColour(float amount, vec3 colours[${APART.length}]) {
  vec3 result = colours[0];
  for (int i = 1; i < ${APART.length}; i++) {
    float t = clamp((amount - apartStops[i - 1]) / (apartStops[i] - apartStops[i - 1]), 0.0, 1.0);
    result = mix(result, colours[i], t);
  }
  return result;
}

// Clay where nothing gives; full colour at half or double length, darker beyond.
vec3 strainColour(float strain) {
  float size = abs(strain);
  vec3 full = strain > 0.0 ? stretched : squeezed;
  vec3 result = mix(clay, full, smoothstep(0.02, 1.0, size));
  return mix(result, full * vec3(0.78, 0.6, 0.6), smoothstep(1.0, 6.0, size));
}

vec3 baseColour(float weight, vec3 tint) {
  if (view == 0) return ramp(weight);
  if (view == 1) return mix(vec3(0.93), vec3(0.1), weight);
  if (view == 3) return tint;
  if (view == 5) return strainColour(weight);
  if (view == 6) return apartColour(weight, apartColours);
  // Whatever differs at all is seen: clay is no difference.
  if (view == 7 && weight > 1e-4) return apartColour(max(0.02, weight), apartColours);
  if (view == 7 && weight < -1e-4) return apartColour(max(0.02, -weight), lessColours);
  return clay;
}`;

const fragmentShader = /* glsl */ `
precision highp float;
${BASE_COLOUR}
uniform vec3 darkInk;
uniform vec3 accent;
uniform vec3 glow;
uniform float ghost;
in vec3 vNormal;
in vec3 vPlace;
in float vWeight;
in float vStray;
in vec3 vTint;
out vec4 colour;

void main() {
  // Where the smooth normal is far from the face's own, the edge is a hard one: show the face.
  vec3 face = normalize(cross(dFdx(vPlace), dFdy(vPlace)));
  vec3 n = normalize(vNormal);
  if (dot(n, face) < 0.0) n = -n;
  n = normalize(mix(face, n, smoothstep(0.55, 0.75, dot(n, face))));

  vec3 base = baseColour(vWeight, vTint);
  // Soft light from the upper left, glow from the sky, a little shade toward the rim: matt clay.
  float key = clamp(dot(n, normalize(vec3(-0.45, 0.7, 0.65))) * 0.72 + 0.28, 0.0, 1.0);
  float sky = n.y * 0.5 + 0.5;
  float rim = pow(1.0 - abs(dot(n, normalize(-vPlace))), 3.0);
  float light = 0.6 + 0.38 * key + 0.07 * sky - 0.12 * rim;
  vec3 lit = base * light;
  // Against a dark ground the rim of what is dark shines, so that full weight keeps its outline.
  lit += glow * rim * (1.0 - smoothstep(0.15, 0.5, dot(lit, vec3(0.299, 0.587, 0.114))));

  if (view <= 2 || view >= 6) {
    // A contour at every tenth: evenly spaced where the gradient is even.
    float amount = view == 7 ? abs(vWeight) : vWeight;
    float tenths = amount * 10.0;
    float slope = max(fwidth(tenths), 1e-5);
    float nearest = floor(tenths + 0.5);
    float distance = abs(tenths - nearest) / slope;
    float line = (1.0 - smoothstep(0.5, 1.3, distance)) * step(0.5, nearest) * step(nearest, 9.5);
    // Where lines would run into one another they fade rather than fill; a plateau has no line, whatever its height.
    line *= (1.0 - smoothstep(0.35, 0.9, slope)) * smoothstep(0.0002, 0.001, slope);
    vec3 lineColour = view != 2 && amount > (view == 7 ? 0.3 : 0.45) ? vec3(0.97, 0.95, 0.9) : darkInk;
    lit = mix(lit, lineColour, line * (view == 2 ? 0.85 : 0.6));
  }
  if (view == 5) {
    // A line where an edge is a quarter longer or shorter, and at half or double.
    float size = abs(vWeight);
    float slope = max(fwidth(size), 1e-5);
    float near = min(abs(size - 0.25), abs(size - 1.0)) / slope;
    lit = mix(lit, darkInk, (1.0 - smoothstep(0.4, 1.2, near)) * 0.35 * (1.0 - smoothstep(0.3, 0.8, slope)));
  }
  if (view <= 3 && vStray > 0.5) {
    float stripe = fract((gl_FragCoord.x + gl_FragCoord.y) / 7.0);
    lit = mix(lit, accent, step(stripe, 0.42) * 0.9);
  }
  colour = vec4(lit, ghost);
}`;

/** The one material of the model: heat, contours and hatching in a single shader over a weight a point. */
export function createClay(tokens: Tokens): ShaderMaterial {
  return new ShaderMaterial({
    glslVersion: GLSL3,
    vertexShader,
    fragmentShader,
    side: DoubleSide,
    toneMapped: false,
    uniforms: {
      rampColours: { value: TIDE.map(([, colour]) => srgb(colour)) },
      rampStops: { value: TIDE.map(([stop]) => stop) },
      apartColours: { value: APART.map(([, colour]) => srgb(colour)) },
      apartStops: { value: APART.map(([stop]) => stop) },
      lessColours: { value: LESS.map(([, colour]) => srgb(colour)) },
      clay: { value: srgb(tokens.clay) },
      darkInk: { value: srgb(DAY.ink) },
      glow: { value: srgb(tokens.glow) },
      accent: { value: srgb(tokens.accent) },
      stretched: { value: srgb(STRAIN_COLOURS.stretched) },
      squeezed: { value: srgb(STRAIN_COLOURS.squeezed) },
      view: { value: 0 },
      ghost: { value: 1 },
    },
  });
}

/** Seen through, what is behind shows and nothing hides it. */
export function setClayGhost(material: ShaderMaterial, seeThrough: boolean): void {
  material.uniforms.ghost.value = seeThrough ? 0.35 : 1;
  material.transparent = seeThrough;
  material.depthWrite = !seeThrough;
  material.needsUpdate = true;
}

export function setClayView(material: ShaderMaterial, view: WeightView): void {
  material.uniforms.view.value = VIEW_NUMBER[view];
}

/** A colour with its sRGB values as they are written, not converted to linear light. */
export function srgb(hex: string): Color {
  const colour = new Color();
  [colour.r, colour.g, colour.b] = rgbOf(hex);
  return colour;
}
