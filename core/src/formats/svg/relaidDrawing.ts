import type { Character } from '../../document/character.ts';
import type { DocumentSettings } from '../../document/settings.ts';
import { withOutlines } from '../../document/withOutlines.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { copyRow } from '../../weights/delta.ts';
import { BufferWriter, FLOAT, UNSIGNED_BYTE, UNSIGNED_INT } from '../gltf/bufferWriter.ts';
import type { GltfContainer } from '../gltf/container.ts';
import type { GltfJson } from '../gltf/gltfJson.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { rangeOf, towardViewer } from '../gltf/binary.ts';
import { asExtras, drawingExtras } from './drawingJson.ts';

/** A drawing's file, what is read of it, and weights for it. */
export interface DrawingFile {
  readonly container: GltfContainer;
  readonly character: Character;
  readonly rows: readonly WeightRows[];
}

/**
 * A drawing's file as it were had it come with other outlines: layers that have some are written anew, all else stays.
 *
 * @param file as it is kept; `rows` are weights of the points that there are with those outlines
 */
export async function relaidDrawing(
  { container, character, rows }: DrawingFile,
  outlines: DocumentSettings['outlines'],
): Promise<DrawingFile> {
  const now = withOutlines(character, outlines);
  const extras = drawingExtras(container.json);
  if (now === character || !extras || !now.drawing) return { container, character, rows };
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const writer = new BufferWriter(json, container);
  now.parts.forEach((part, i) => {
    if (part === character.parts[i]) return;
    const primitive = (json.meshes ?? [])[part.source.mesh].primitives[part.source.primitive];
    const places = new Float32Array(part.vertexCount * 3);
    part.vertexPoint.forEach((p, v) => places.set(part.positions.subarray(p * 3, p * 3 + 3), v * 3));
    const vertexOf = new Map([...part.vertexPoint].map((p, v) => [p, v]));
    const vertices = Uint32Array.from(part.triangles, (p) => vertexOf.get(p) ?? 0);
    const count = part.vertexCount;
    const isSkinned = 'JOINTS_0' in primitive.attributes;
    primitive.attributes = {
      POSITION: writer.append(places, FLOAT, 'VEC3', count),
      NORMAL: writer.append(towardViewer(count), FLOAT, 'VEC3', count),
      // What the file had is of other points; whoever exports writes all of them.
      ...(isSkinned && {
        JOINTS_0: writer.append(new Uint8Array(count * 4), UNSIGNED_BYTE, 'VEC4', count),
        WEIGHTS_0: writer.append(new Float32Array(count * 4), FLOAT, 'VEC4', count),
      }),
    };
    primitive.indices = writer.append(vertices, UNSIGNED_INT, 'SCALAR', vertices.length);
    Object.assign((json.accessors ?? [])[primitive.attributes.POSITION], rangeOf(places));
  });
  json.extras = asExtras({ ...extras, drawing: now.drawing });
  const relaid: GltfContainer = { json, buffers: writer.finish(), images: container.images };
  const read = await readCharacter(relaid);
  return { container: relaid, character: read, rows: rowsByVertex(read, now, rows) };
}

/** Rows for points that were numbered anew: vertices are the same ones. */
function rowsByVertex(read: Character, now: Character, rows: readonly WeightRows[]): WeightRows[] {
  return read.parts.map(({ vertexPoint, pointCount }, i) => {
    const out = createRows(pointCount, rows[i].stride);
    vertexPoint.forEach((point, v) => copyRow(rows[i], now.parts[i].vertexPoint[v], out, point));
    return out;
  });
}
