import { controlTriangles } from '../../drawing/controlMesh.ts';
import type { Layer } from '../../drawing/drawing.ts';
import { writeGlb, type GltfContainer } from '../gltf/container.ts';
import type { GltfJson } from '../gltf/gltfJson.ts';
import { Binary, linearColour, rangeOf, towardViewer } from '../gltf/binary.ts';
import { asExtras } from './drawingJson.ts';
import { readSvg } from './readSvg.ts';

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
            POSITION: binary.add(positions[i], 'VEC3', rangeOf(positions[i])),
            NORMAL: binary.add(towardViewer(positions[i].length / 3), 'VEC3'),
          },
          indices: binary.add(controlTriangles(layer, positions[i]), 'SCALAR'),
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
  const pictures = drawing.pictures?.map(({ bytes: own, ...picture }) => ({
    ...picture,
    view: binary.addView(own),
  }));
  json.extras = asExtras({ version: 1, drawing, source, notes, ...(pictures && { pictures }) });
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

/** What other programs show the points' mesh in: the layer's first colour, as linear light. */
function colourOf({ shapes }: Layer): number[] {
  const paint = shapes.find(({ fill }) => fill)?.fill ?? shapes.find(({ stroke }) => stroke)?.stroke?.paint;
  return linearColour(paint?.colour ?? '#808080', 1);
}
