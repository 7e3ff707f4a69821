import type { Clip } from '../../animation/clip.ts';
import type { Character } from '../../document/character.ts';
import { usualMesh, type LayerMesh, type Drawing, type MeshPiece } from '../../drawing/index.ts';
import { CoreError } from '../../errors.ts';
import { setupOf } from '../../skeleton/skeletonChange.ts';
import { createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import type { GltfContainer } from '../gltf/container.ts';
import { exportCharacter } from '../gltf/exportCharacter.ts';
import type { GltfJson, GltfPrimitive } from '../gltf/gltfJson.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { Binary, linearColour, rangeOf, towardViewer } from '../gltf/binary.ts';

/** Influences a vertex. */
const LIMIT = 4;
/** Layers lie this share of the page's height apart, and shapes of a layer a hundredth of that. */
const LAYER_STEP = 2e-3;
const SHAPE_STEP = LAYER_STEP / 100;

interface LayerMeshes {
  readonly mesh: LayerMesh;
  readonly pieces: readonly MeshPiece[];
  readonly rows: WeightRows;
}

/**
 * A flat character as meshes that any engine shows: each layer filled with triangles, in depth order at equal steps, a
 * material for each fill, skin and clips. Colours of gradients are vertex colours.
 *
 * @param character as it is set up now
 * @param rows      weights of the outlines' points, one a layer
 * @param order     layers from back to front
 * @throws CoreError argument-invalid for a character that is no drawing
 */
export async function deliverDrawing(
  character: Character,
  rows: readonly WeightRows[],
  clips: readonly Clip[] = [],
  order: readonly number[] = rows.map((_, i) => i),
): Promise<GltfContainer> {
  const { drawing, parts, skeleton } = character;
  if (!drawing) throw new CoreError('argument-invalid', 'This character is no drawing.');
  const layers = drawing.layers.map((_, i): LayerMeshes => {
    const mesh = usualMesh(drawing, i, parts[i]);
    const pieces = mesh.pieces.filter(({ triangleCount }) => triangleCount > 0);
    return { mesh, pieces, rows: spreadRows(mesh, rows[i]) };
  });
  const container = bareMeshes(
    drawing,
    layers,
    parts.map(({ positions }) => positions),
    order,
  );
  const base = await readCharacter(container);
  const all = layers.flatMap(({ pieces, rows: own }) => pieces.map((piece) => ({ piece, own })));
  const delivered = base.parts.map(({ pointCount, vertexPoint }, i) => {
    const out = createRows(pointCount);
    const { piece, own } = all[i];
    vertexPoint.forEach((point, v) => {
      const from = (piece.from + v) * own.stride;
      out.joints.set(own.joints.subarray(from, from + own.stride), point * out.stride);
      out.values.set(own.values.subarray(from, from + own.stride), point * out.stride);
    });
    return out;
  });
  // Ids of joints may name nodes of the file that the drawing came in; here there are none of those.
  const setups = Object.fromEntries(
    skeleton.joints.map((joint, j) => [j, joint.removed ? null : { ...setupOf(joint), id: `joint-${j}` }]),
  );
  const skinned = new Set(base.parts.keys());
  return exportCharacter(container, base, delivered, {
    setups,
    skinned,
    clips: [...character.clips, ...clips],
  });
}

/** Weights of the mesh's places, at most four a place: each joint's spread as the fill is. */
function spreadRows(mesh: LayerMesh, own: WeightRows): WeightRows {
  const out = createRows(mesh.count);
  const used = new Set<number>();
  own.values.forEach((value, k) => value > 0 && used.add(own.joints[k]));
  const joints = [...used].sort((a, b) => a - b);
  const channel = new Float32Array(own.pointCount);
  const spread = joints.map((joint) => {
    channel.fill(0);
    for (let k = 0; k < own.values.length; k++)
      if (own.values[k] > 0 && own.joints[k] === joint) channel[Math.floor(k / own.stride)] = own.values[k];
    const values = new Float32Array(mesh.count);
    mesh.spread(channel, values);
    return values;
  });
  const candidates = createCandidates(joints.length);
  const locks = new Uint8Array(Math.max(0, ...joints) + 1);
  for (let p = 0; p < mesh.count; p++) {
    candidates.count = 0;
    joints.forEach((joint, j) => {
      if (!(spread[j][p] > 1e-4)) return;
      candidates.joints[candidates.count] = joint;
      candidates.values[candidates.count++] = spread[j][p];
    });
    if (candidates.count > 0) normalizeCandidates(out, p, candidates, { fixed: -1, limit: LIMIT, locks });
  }
  return out;
}

/** The layers' meshes without skin, one node a layer and one primitive a fill or stroke. */
function bareMeshes(
  drawing: Drawing,
  layers: readonly LayerMeshes[],
  points: readonly Float32Array[],
  order: readonly number[],
): GltfContainer {
  const binary = new Binary();
  const materials: unknown[] = [];
  const step = drawing.page[3] * drawing.scale;
  const pictures = texturesOf(binary, drawing);
  const meshes = layers.map(({ mesh, pieces }, i) => {
    const places = new Float32Array(mesh.count * 3);
    mesh.place(points[i], places);
    return {
      name: drawing.layers[i].name,
      primitives: pieces.map((piece, k) =>
        primitiveOf(
          binary,
          materials,
          mesh,
          piece,
          places,
          step * (order.indexOf(i) * LAYER_STEP + k * SHAPE_STEP),
        ),
      ),
    };
  });
  const json: GltfJson & { materials: unknown[] } = {
    asset: { version: '2.0' },
    scene: 0,
    scenes: [{ nodes: meshes.map((_, i) => i) }],
    nodes: meshes.map(({ name }, mesh) => ({ name, mesh })),
    meshes,
    materials,
    ...pictures,
    accessors: binary.accessors,
    bufferViews: binary.views,
    buffers: [{ byteLength: binary.length }],
  };
  return { json, buffers: [binary.bytes()], images: new Map() };
}

/** The drawing's pictures as textures, in the same order. */
function texturesOf(binary: Binary, { pictures = [] }: Drawing): object {
  if (pictures.length === 0) return {};
  return {
    images: pictures.map(({ bytes, mime }) => ({ bufferView: binary.addView(bytes), mimeType: mime })),
    textures: pictures.map((_, source) => ({ source })),
  };
}

function primitiveOf(
  binary: Binary,
  materials: unknown[],
  mesh: LayerMesh,
  { from, count, firstTriangle, triangleCount, paint }: MeshPiece,
  places: Float32Array,
  depth: number,
): GltfPrimitive {
  const positions = places.slice(from * 3, (from + count) * 3);
  for (let k = 2; k < positions.length; k += 3) positions[k] = depth;
  const triangles = mesh.triangles
    .subarray(firstTriangle * 3, (firstTriangle + triangleCount) * 3)
    .map((place) => place - from);
  const attributes: Record<string, number> = {
    POSITION: binary.add(positions, 'VEC3', rangeOf(positions)),
    NORMAL: binary.add(towardViewer(count), 'VEC3'),
  };
  const { gradient, picture, colour, opacity } = paint;
  if (picture) {
    const uvs = mesh.uvs.slice(from * 2, (from + count) * 2);
    attributes.TEXCOORD_0 = binary.add(uvs, 'VEC2');
    const material = materials.push({
      name: `picture ${picture.index + 1}`,
      doubleSided: true,
      alphaMode: 'BLEND',
      pbrMetallicRoughness: {
        baseColorTexture: { index: picture.index },
        baseColorFactor: [1, 1, 1, opacity],
        metallicFactor: 0,
        roughnessFactor: 1,
      },
    });
    return { attributes, indices: binary.add(triangles, 'SCALAR'), material: material - 1 };
  }
  if (gradient) {
    const colours = new Float32Array(count * 4);
    for (let p = 0; p < count; p++) {
      const [r, g, b, a] = mesh.colours.subarray((from + p) * 4, (from + p) * 4 + 4);
      const hex = `#${[r, g, b].map((value) => value.toString(16).padStart(2, '0')).join('')}`;
      colours.set(linearColour(hex, a / 255), p * 4);
    }
    attributes.COLOR_0 = binary.add(colours, 'VEC4');
  }
  const isClear = opacity < 1 || gradient?.stops.some((stop) => stop.opacity < 1);
  const material = materials.push({
    name: colour,
    doubleSided: true,
    ...(isClear && { alphaMode: 'BLEND' }),
    pbrMetallicRoughness: {
      baseColorFactor: gradient ? [1, 1, 1, 1] : linearColour(colour, opacity),
      metallicFactor: 0,
      roughnessFactor: 1,
    },
  });
  return { attributes, indices: binary.add(triangles, 'SCALAR'), material: material - 1 };
}
