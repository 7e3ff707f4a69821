import { segmentsOf, type Drawing } from '@judoka/core/drawing';
import { BufferAttribute, BufferGeometry, GLSL3, Group, LineSegments, ShaderMaterial } from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { BASE_COLOUR, srgb } from '../drawings/clay.ts';
import type { PartDrawing } from '../drawings/PartDrawing.ts';
import { createFlatMaterial } from './flatMaterial.ts';
import { HolderLines } from './HolderLines.ts';
import { PictureMaterials } from './PictureMaterials.ts';
import { LayerDrawing, type LayerMaterials } from './LayerDrawing.ts';

/** Anchors have at least and at most so many pixels; handles are smaller. */
const ANCHOR_PX = [4, 9] as const;
const HANDLE_SHARE = 0.65;
/** Handles are drawn once neighbours on an outline are so far apart. */
const HANDLES_FROM_PX = 34;

/** How much is seen of layers that are hidden. */
const GHOST_SHARE = 0.16;

/** Over all layers, under their points. */
const TIES_OVER = -20;

/** What is asked of the scene: how its layers lie, and how far they are pulled apart. */
interface ApartScene {
  readonly apart: number;
  readonly layerOrder: readonly number[];
  readonly showsGhosts: boolean;
  asideOf(part: number): number;
}

interface Points {
  readonly anchors: ShaderMaterial;
  readonly handles: ShaderMaterial;
}

const setSize = ({ uniforms }: ShaderMaterial, pixels: number): void => {
  uniforms.size.value = pixels * Math.min(2, devicePixelRatio);
};

/** All layers of a flat character on the stage. The parts' own meshes are picked on, and not drawn. */
export class FlatDrawing {
  readonly group = new Group();
  readonly #parts: readonly PartDrawing[];
  readonly layers: readonly LayerDrawing[];
  readonly materials: LayerMaterials & Points;
  #showsPoints = true;
  /** Whether handles are drawn, as far as the camera was when it last looked. */
  showsHandles = false;
  /** How far neighbours on an outline are apart, in scene units, in the middle. */
  readonly #spacing: number;
  readonly #scene: ApartScene;
  readonly #ties: LineSegments;
  readonly holders: HolderLines;

  constructor(
    drawing: Drawing,
    parts: readonly PartDrawing[],
    scene: ApartScene,
    clay: ShaderMaterial,
    tokens: Tokens,
    changed: () => void,
  ) {
    this.#parts = parts;
    this.#scene = scene;
    this.materials = {
      fill: createFlatMaterial(clay, tokens),
      ghost: createFlatMaterial(clay, tokens, GHOST_SHARE),
      pictures: new PictureMaterials(
        drawing.pictures ?? [],
        (texture, isGhost) => createFlatMaterial(clay, tokens, isGhost ? GHOST_SHARE : undefined, texture),
        changed,
      ),
      anchors: pointMaterial(clay, tokens),
      handles: pointMaterial(clay, tokens),
      lines: lineMaterial(tokens),
    };
    this.layers = parts.map(({ part, mesh }) => {
      mesh.material = NOT_DRAWN;
      if (!part.fill) throw new Error('A layer of a drawing has no fill.');
      return new LayerDrawing(part, drawing.layers[part.index], part.fill, this.materials, mesh.geometry);
    });
    this.#spacing = middleSpacing(drawing, parts);
    const ends = new BufferAttribute(new Float32Array(parts.length * 6), 3);
    this.#ties = new LineSegments(new BufferGeometry().setAttribute('position', ends), this.materials.lines);
    this.#ties.frustumCulled = false;
    this.#ties.renderOrder = TIES_OVER;
    this.holders = new HolderLines(tokens);
    this.group.add(this.holders.lines, this.#ties, ...this.layers.map(({ group }) => group));
  }

  setPointsShown(shown: boolean): void {
    this.#showsPoints = shown;
  }

  /** Before it is drawn: from afar points are small, and handles would hide what they belong to. @param pixels a scene unit */
  aim(pixels: number): void {
    const spacing = pixels * this.#spacing;
    const size = Math.max(ANCHOR_PX[0], Math.min(ANCHOR_PX[1], spacing / 2.4));
    setSize(this.materials.anchors, size);
    setSize(this.materials.handles, size * HANDLE_SHARE);
    this.showsHandles = this.#showsPoints && spacing > HANDLES_FROM_PX;
    for (const layer of this.layers) layer.setPointsShown(this.#showsPoints, this.showsHandles);
  }

  posed(): void {
    this.#scene.layerOrder.forEach((part, rank) => this.layers[part].setRank(rank));
    for (const layer of this.layers) layer.posed(this.#scene.showsGhosts);
    this.#layTies();
  }

  /** From the middle of each layer that is pulled aside to its place. */
  #layTies(): void {
    const places = this.#ties.geometry.getAttribute('position');
    this.#ties.visible = this.#scene.apart > 0;
    if (!this.#ties.visible) return;
    this.#parts.forEach(({ part }, i) => {
      const { positions } = part.skin;
      const count = part.visible ? positions.length / 3 : 0;
      let [x, y] = [0, 0];
      for (let p = 0; p < count; p++) {
        x += positions[p * 3] / count;
        y += positions[p * 3 + 1] / count;
      }
      places.setXYZ(i * 2, x, y, 0);
      places.setXYZ(i * 2 + 1, count > 0 ? x - this.#scene.asideOf(part.index) : x, y, 0);
    });
    places.needsUpdate = true;
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

  /** The view tells how much each layer's fill is strained. */
  strained(): void {
    for (const layer of this.layers) layer.strained();
  }

  /** Points of a part have moved and have other weights. */
  touched(index: number, hasTints: boolean): void {
    this.layers[index].posed(this.#scene.showsGhosts);
    this.reweighted(hasTints, index);
  }

  dispose(): void {
    for (const layer of this.layers) layer.dispose();
    this.#ties.geometry.dispose();
    this.holders.dispose();
    const { fill, ghost, pictures, anchors, handles, lines } = this.materials;
    pictures.dispose();
    for (const material of [fill, ghost, anchors, handles, lines]) material.dispose();
  }
}

const NOT_DRAWN = new ShaderMaterial({ visible: false });

/** Dots of a size on the screen, filled with the ramp's colour and ringed with ink. */
function pointMaterial(clay: ShaderMaterial, tokens: Tokens): ShaderMaterial {
  return new ShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: {
      ...clay.uniforms,
      size: { value: ANCHOR_PX[1] },
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

function middleSpacing({ layers }: Drawing, parts: readonly PartDrawing[]): number {
  const found: number[] = [];
  for (const { part } of parts) {
    const { vertexPoint, positions } = part.part;
    for (const shape of layers[part.index].shapes)
      for (const outline of shape.outlines)
        for (const ends of segmentsOf(outline)) {
          const [a, b] = [vertexPoint[ends[0]] * 3, vertexPoint[ends[ends.length - 1]] * 3];
          found.push(Math.hypot(positions[a] - positions[b], positions[a + 1] - positions[b + 1]));
        }
  }
  return found.sort((a, b) => a - b)[found.length >> 1] ?? 1;
}
