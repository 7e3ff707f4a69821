import { coordinatesInCage, PartLook, standOff } from '@judoka/core/deform';
import { type CharacterPart, followPart } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import type { Pose } from '@judoka/core/skeleton';
import { createRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import { section, unit } from './context.ts';

/** Points of the cloth. */
const CLOTH = 20_000;
/** How far it stands off. */
const OFF = 0.01;

/** A part's first points with the triangles among them, a little off its surface: a cloth that fits. */
export function clothOf(part: CharacterPart, count: number): CharacterPart {
  const [positions, normals] = [part.positions, part.normals].map((of) => of.slice(0, count * 3));
  const triangles: number[] = [];
  for (let t = 0; t < part.triangles.length; t += 3) {
    const corners = part.triangles.subarray(t, t + 3);
    if (corners.every((p) => p < count)) triangles.push(...corners);
  }
  const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
  return {
    ...part,
    ...{ name: 'cloth', pointCount: count, normals, triangles: Uint32Array.from(triangles) },
    ...{ polygonOffsets: offsets, polygonPoints: Uint32Array.from(triangles) },
    positions: positions.map((x, i) => x + OFF * normals[i]),
  };
}

/** A round cage, and places within it. */
const CAGE = ((): { positions: Float32Array; triangles: Uint32Array } => {
  const [around, rings] = [24, 21];
  const positions: number[] = [0, -1, 0, 0, 1, 0];
  const triangles: number[] = [];
  for (let r = 0; r < rings; r++)
    for (let a = 0; a < around; a++) {
      const [up, turn] = [(Math.PI * (r + 1)) / (rings + 1), (2 * Math.PI * a) / around];
      positions.push(Math.sin(up) * Math.cos(turn), -Math.cos(up), Math.sin(up) * Math.sin(turn));
      const [p, q] = [2 + r * around + a, 2 + r * around + ((a + 1) % around)];
      if (r === 0) triangles.push(0, p, q);
      if (r + 1 < rings) triangles.push(p, p + around, q + around, p, q + around, q);
      else triangles.push(1, q, p);
    }
  return { positions: Float32Array.from(positions), triangles: Uint32Array.from(triangles) };
})();
const CAGED = 10_000;

const PLACES = Float32Array.from({ length: CAGED * 3 }, (_, i) => {
  const p = Math.floor(i / 3);
  return 0.5 * [Math.sin(p), Math.sin(2.3 * p), Math.cos(1.7 * p)][i % 3];
});

/** A cloth that follows the large ferry-keeper's body. */
export async function benchClothes(): Promise<void> {
  const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'large', faults: true })));
  const [body] = character.parts;
  const cloth = clothOf(body, CLOTH);
  const clothed = {
    ...character,
    parts: [body, cloth],
    rows: [character.rows[0], createRows(CLOTH)],
  };
  section(`Clothes: ${CLOTH} points on a body of ${body.pointCount}`);
  const inside = await compare(() => standOff(body, cloth.positions), unit, { runs: 15, warm: 4 });
  report('what lies under the surface', inside.ratio, 'U', { most: 30 });
  const anchoring = await compare(() => followPart(clothed, 1, 0), unit, { runs: 3, warm: 1 });
  report('what they hold on to', anchoring.ratio, 'U');
  const following = [undefined, { driver: 0, hold: await followPart(clothed, 1, 0) }];
  const within = await compare(() => coordinatesInCage(CAGE, PLACES), unit, { runs: 3, warm: 1 });
  report(`coordinates of ${CAGED} places in a cage of ${CAGE.positions.length / 3}`, within.ms, 'ms', {
    most: 500,
  });
  const look = await PartLook.create(clothed, 1, { skinning: 'linear', following });
  const pose: Pose = { 3: { rotation: [0, 0, 0.3, 0.954], translation: [0, 0, 0], scale: [1, 1, 1] } };
  const posing = await compare(() => look.at(pose), unit, { runs: 31, warm: 6 });
  report('a pose', posing.ratio, 'U', { most: 3 });
}
