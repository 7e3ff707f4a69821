import { DEFAULT_RELAXING, SurfaceRelaxer } from '@judoka/core/deform';
import { compare, report } from './measure.ts';
import { pointCount, section, SIDE, surface, unit } from './context.ts';

/** A dab's points: about two thousand in a square. */
const DAB = 45;

export async function benchCures(): Promise<void> {
  section('Relaxing, 100k points');
  const { arrays, neighbours, triangles } = surface;
  unit();
  const mesh = {
    ...{ pointCount, triangles, neighbours },
    ...{ rest: arrays.positions.slice(), restNormals: arrays.normals.slice() },
  };
  const relaxer = await SurfaceRelaxer.create(mesh, DEFAULT_RELAXING);
  const [positions, normals] = [arrays.positions.slice(), arrays.normals.slice()];
  const all = await compare(() => relaxer.relaxAll(positions, normals), unit, { runs: 31, warm: 6 });
  report('relaxing, ten passes, all points', all.ratio, 'U', { most: 14 });

  const first = Math.floor(SIDE / 2 - DAB / 2);
  const dab = Uint32Array.from(
    { length: DAB * DAB },
    (_, i) => (first + Math.floor(i / DAB)) * SIDE + first + (i % DAB),
  );
  const near = await compare(
    () => {
      relaxer.take(dab, dab.length, positions, normals);
      relaxer.relaxPatch(relaxer.patchAbout(dab, dab.length, 2), positions, normals);
    },
    unit,
    { runs: 31, warm: 6 },
  );
  report(`relaxing around a dab of ${dab.length} points`, near.ratio, 'U', { most: 1 });
}
