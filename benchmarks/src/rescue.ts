import { differenceAmounts } from '@judoka/core/analysis/difference';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { bringBack } from '@judoka/core/operations/rescue';
import { prepareTransfer, readSource, transferWeights } from '@judoka/core/operations/transfer';
import { copyRows, createRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import { four, pointCount, section, SIDE, surface, unit } from './context.ts';
import { makeSurface } from './surface.ts';

/** Bringing back, comparing, and taking weights from another surface. */
export async function benchRescue(): Promise<void> {
  section('Rescue, comparison, transfer');
  const { arrays, neighbours, locks } = surface;
  const now = copyRows(arrays.rows);
  // Another state: each row is that of a point some rings on.
  const past = copyRows((await makeSurface(SIDE, four)).arrays.rows);
  past.joints.copyWithin(0, 40 * past.stride);
  past.values.copyWithin(0, 40 * past.stride);
  const region = Uint32Array.from({ length: pointCount / 10 }, (_, i) => i);
  const request = { past: [past], amount: 1, neighbours: [neighbours], locks, limit: 4 };
  const few = { runs: 15, warm: 4 };
  const back = (points: Uint32Array | undefined, border: number) => () =>
    bringBack([now], { ...request, border, points: points && new Map([[0, points]]) });
  report(
    'bringing a tenth of the points back, soft border',
    (await compare(back(region, 6), unit, few)).ratio,
    'U',
    {
      most: 8,
    },
  );
  report('bringing all of them back', (await compare(back(undefined, 0), unit, few)).ratio, 'U', { most: 8 });
  const out = new Float32Array(pointCount);
  const worked = copyRows(now);
  for (const p of region) {
    worked.joints.set(past.joints.subarray(p * 8, p * 8 + 8), p * 8);
    worked.values.set(past.values.subarray(p * 8, p * 8 + 8), p * 8);
  }
  const some = await compare(() => differenceAmounts(now, worked, -1, out), unit, few);
  report('difference of all joints, a tenth of the points', some.ratio, 'U', { most: 3 });
  const all = await compare(() => differenceAmounts(now, past, -1, out), unit, few);
  report('  where every row is another', all.ratio, 'U');
  report(
    'difference of one joint',
    (await compare(() => differenceAmounts(now, past, 30, out), unit, few)).ratio,
    'U',
    {
      most: 3,
    },
  );
  await benchTransfer();
}

async function benchTransfer(): Promise<void> {
  const large = await readCharacter(openGlb(await makeFerryKeeper({ size: 'large', faults: false })));
  const points = large.parts.reduce((sum, part) => sum + part.pointCount, 0);
  const locks = new Uint8Array(large.skeleton.joints.length);
  const work = async (): Promise<void> => {
    const source = readSource(large, large.rows);
    const prepared = prepareTransfer(source, large);
    const joints = new Int32Array(large.skeleton.joints.length).fill(-1);
    for (const { source: from, target } of prepared.joints) joints[from] = target;
    await transferWeights(
      large.parts,
      large.parts.map((part) => createRows(part.pointCount)),
      {
        ...{
          source,
          joints,
          matrix: prepared.alignment.matrix,
          placed: prepared.placed,
          distance: 0.05,
          angle: 60,
        },
        rules: { locks, limit: 4 },
      },
    );
  };
  const { ratio } = await compare(work, unit, { runs: 5, warm: 2 });
  report(`transfer of ${points} points to as many, for 100k`, (ratio * 100_000) / points, 'U', { most: 300 });
}
