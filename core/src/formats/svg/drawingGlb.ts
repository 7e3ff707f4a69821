import { controlTriangles } from '../../drawing/controlMesh.ts';
import type { Layer } from '../../drawing/drawing.ts';
import { writeGlb, type GltfContainer } from '../gltf/container.ts';
import type { GltfAccessor, GltfBufferView, GltfJson } from '../gltf/gltfJson.ts';
import { asExtras } from './drawingJson.ts';
import { readSvg } from './readSvg.ts';
import { looksLikeSvg } from './svgTree.ts';

const FLOAT = 5126;
const UNSIGNED_INT = 5125;

/**
 * An SVG drawing as the glTF file that a flat character is kept in: points and layers are settled once, however the reader
 * of drawings may change. The file as it came lies in it too, to the byte.
 *
 * @throws CoreError as {@link readSvg}
 */
export function drawingToGlb(bytes: Uint8Array): Uint8Array {
  const { drawing, positions, notes } = readSvg(bytes);
  const binary = new Binary();
  const json: GltfJson & { materials: unknown[] } = {
    asset: { version: '2.0' },
    scene: 0,
    scenes: [{ nodes: drawing.layers.map((_, i) => i) }],
    nodes: drawing.layers.map(({ name }, mesh) => ({ name, mesh })),
    meshes: drawing.layers.map((layer, i) => ({
      name: layer.name,
      primitives: [
        {
          attributes: {
            POSITION: binary.add(positions[i], FLOAT, 'VEC3', rangeOf(positions[i])),
            NORMAL: binary.add(towardViewer(positions[i].length / 3), FLOAT, 'VEC3'),
          },
          indices: binary.add(controlTriangles(layer, positions[i]), UNSIGNED_INT, 'SCALAR'),
          material: i,
        },
      ],
    })),
    materials: drawing.layers.map((layer) => ({
      name: layer.name,
      doubleSided: true,
      pbrMetallicRoughness: { baseColorFactor: colourOf(layer), metallicFactor: 0, roughnessFactor: 1 },
    })),
  };
  const source = binary.addView(bytes);
  json.extras = asExtras({ version: 1, drawing, source, notes });
  const container: GltfContainer = {
    json: {
      ...json,
      accessors: binary.accessors,
      bufferViews: binary.views,
      buffers: [{ byteLength: binary.length }],
    },
    buffers: [binary.bytes()],
    images: new Map(),
  };
  return writeGlb(container);
}

/** A character's file as the glTF that it is kept in: drawings are made into one, all else stays as it is. */
export const asGlb = (bytes: Uint8Array): Uint8Array => (looksLikeSvg(bytes) ? drawingToGlb(bytes) : bytes);

/** Arrays one behind another. */
class Binary {
  readonly accessors: GltfAccessor[] = [];
  readonly views: GltfBufferView[] = [];
  readonly #pieces: Uint8Array[] = [];
  length = 0;

  add(
    array: Float32Array | Uint32Array,
    componentType: number,
    type: 'VEC3' | 'SCALAR',
    range?: { min: number[]; max: number[] },
  ): number {
    const bufferView = this.addView(new Uint8Array(array.buffer, array.byteOffset, array.byteLength));
    const count = type === 'VEC3' ? array.length / 3 : array.length;
    return this.accessors.push({ bufferView, componentType, count, type, ...range }) - 1;
  }

  addView(bytes: Uint8Array): number {
    const byteOffset = this.length;
    this.#pieces.push(bytes);
    this.length += (bytes.length + 3) & ~3;
    return this.views.push({ buffer: 0, byteOffset, byteLength: bytes.length }) - 1;
  }

  bytes(): Uint8Array {
    const all = new Uint8Array(this.length);
    this.views.forEach(({ byteOffset = 0 }, i) => {
      all.set(this.#pieces[i], byteOffset);
    });
    return all;
  }
}

function rangeOf(positions: Float32Array): { min: number[]; max: number[] } {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let k = 0; k < positions.length; k++) {
    min[k % 3] = Math.min(min[k % 3], positions[k]);
    max[k % 3] = Math.max(max[k % 3], positions[k]);
  }
  return { min, max };
}

function towardViewer(count: number): Float32Array {
  const normals = new Float32Array(count * 3);
  for (let p = 0; p < count; p++) normals[p * 3 + 2] = 1;
  return normals;
}

/** What other programs show the points' mesh in: the layer's first colour, as linear light. */
function colourOf({ shapes }: Layer): number[] {
  const paint = shapes.find(({ fill }) => fill)?.fill ?? shapes.find(({ stroke }) => stroke)?.stroke?.paint;
  const hex = paint?.colour ?? '#808080';
  const linear = (at: number): number => (Number.parseInt(hex.slice(at, at + 2), 16) / 255) ** 2.2;
  return [linear(1), linear(3), linear(5), 1];
}
