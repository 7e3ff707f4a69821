import type { CharacterPart } from '@judoka/core/document';
import {
  FILE_SHAPES,
  withPoints,
  applyEdit,
  invertEdit,
  type Character,
  type DocumentState,
} from '@judoka/core/document';
import { recoverQuads } from '@judoka/core/mesh';
import { insertLoop, RestStroke } from '@judoka/core/operations/mesh';
import { createRows } from '@judoka/core/weights';
import { compare, report } from './measure.ts';
import { section, unit } from './context.ts';

const AROUND = 200;
const RINGS = 500;

/** A tube of 100,000 points, of quads that are read as two triangles each. */
function tubePart(): CharacterPart {
  const positions = new Float32Array(AROUND * RINGS * 3);
  const triangles: number[] = [];
  for (let r = 0; r < RINGS; r++)
    for (let a = 0; a < AROUND; a++) {
      const turn = (2 * Math.PI * a) / AROUND;
      positions.set([r * 0.03, Math.cos(turn), Math.sin(turn)], (r * AROUND + a) * 3);
      if (r + 1 === RINGS) continue;
      const [p, q] = [r * AROUND + a, r * AROUND + ((a + 1) % AROUND)];
      triangles.push(p, q, q + AROUND, p, q + AROUND, p + AROUND);
    }
  const corners = Uint32Array.from(triangles);
  const { offsets, points } = recoverQuads(corners, positions);
  const pointCount = AROUND * RINGS;
  return {
    name: 'tube',
    ...{ pointCount, vertexCount: pointCount, positions, normals: new Float32Array(positions.length) },
    vertexPoint: Uint32Array.from({ length: pointCount }, (_, p) => p),
    ...{ polygonOffsets: offsets, polygonPoints: points, triangles: corners },
    inverseBinds: new Float32Array(48),
    role: 'skinned',
    source: { mesh: 0, primitive: 0, node: 0, skin: 0, jointOfSlot: [0, 1] },
  };
}

/** Changes of a mesh of 100,000 points. */
export async function benchMesh(): Promise<void> {
  const part = tubePart();
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) rows.values[p * rows.stride] = 1;
  const state = { rows: [rows], skeleton: { joints: [{}, {}] }, values: {} } as unknown as DocumentState;
  const character = { parts: [part], rows: [rows], sourceWeights: [], morphs: [] } as unknown as Character;
  const insert = () => insertLoop({ part, index: 0, rows, values: {} }, { a: 0, b: AROUND, share: 0.5 });
  section(`Mesh: a loop of ${AROUND} quads in ${part.pointCount} points`);
  const putting = await compare(insert, unit, { runs: 9, warm: 2 });
  report('a loop', putting.ratio, 'U', { most: 60 });
  const { edit } = insert();
  const back = invertEdit(edit);
  const undoing = await compare(() => applyEdit(applyEdit(state, edit), back), unit, { runs: 9, warm: 2 });
  report('done and undone in the document', undoing.ratio, 'U', { most: 20 });
  const after = applyEdit(state, edit);
  const meshes = { 0: after.values['parts/0/mesh'] as never };
  const laying = await compare(() => withPoints(character, { ...FILE_SHAPES, meshes }), unit, {
    runs: 9,
    warm: 2,
  });
  report('the part laid out with it', laying.ratio, 'U');
  const palette = new Float32Array(48);
  for (let k = 0; k < 48; k += 16) palette.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], k);
  const skin = { rest: part.positions.slice(), restNormals: part.normals.slice(), rows, palette };
  const stroke = new RestStroke({
    ...{ index: 0, skin, held: undefined },
    triangles: part.triangles,
    pointCount: part.pointCount,
  });
  const list = Uint32Array.from({ length: 600 }, (_, i) => i * 3);
  const moves = new Float64Array(list.length * 3).fill(1e-4);
  const dab = (): void => {
    stroke.move(list, list.length, moves, 'now');
    stroke.settle(list);
  };
  const moving = await compare(dab, unit, { runs: 31, warm: 6 });
  report(`a dab that moves ${list.length} points at rest`, moving.ratio, 'U');
}
