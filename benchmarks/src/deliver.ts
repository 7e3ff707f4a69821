import { PosedPalettes } from '@judoka/core/deform';
import { costPoses } from '@judoka/core/analysis/costs';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import { DELIVERY } from '@judoka/core/document';
import { deliverCharacter, openCharacterFile, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { reportOf, reportPage } from '@judoka/core/formats/report';
import { limitInfluences } from '@judoka/core/operations/limit';
import { apply, copyRow, copyRows, createRows, type Change } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import { section, unit } from './context.ts';

/** Poses that costs are weighed in, as the issue that asked for them counts them. */
const POSES = 60;

export async function benchDeliver(): Promise<void> {
  section('Delivering, about 100k points');
  const glb = await makeFerryKeeper({ size: 'large', faults: true });
  const container = openGlb(glb);
  const character = await readCharacter(container);
  const leaving = { container, character, rows: character.rows };

  const { files, main } = await deliverCharacter(leaving, { ...DELIVERY, format: 'dae' }, 'keeper');
  const dae = files.get(main) ?? new Uint8Array();
  const reading = await compare(
    () => readCharacter(openCharacterFile(dae)),
    () => readCharacter(openGlb(glb)),
    { runs: 15, warm: 4 },
  );
  report('reading .dae, against the same character as .glb', reading.ratio, '×', { most: 3 });

  const leave = async (): Promise<void> => {
    await deliverCharacter(leaving, DELIVERY, 'keeper');
  };
  report('export as .glb', (await compare(leave, unit, { runs: 11, warm: 2 })).ratio, 'U', { most: 12 });
  report(
    '  writing it down alone',
    (await compare(() => writeGlb(container), unit, { runs: 11 })).ratio,
    'U',
  );

  const { pairs } = checkInput(character, {});
  const all = costPoses(rangesOf(character, {}, pairs), character.clips);
  const step = all.length / POSES;
  const poses = Array.from({ length: POSES }, (_, i) => all[Math.floor(i * step)].pose);
  const posed = new PosedPalettes(character.skeleton, poses);
  const locks = new Uint8Array(character.skeleton.joints.length);
  const weigh = () =>
    character.parts.map(({ positions, inverseBinds, pointCount }, part) =>
      limitInfluences(
        { positions, inverseBinds, rows: character.rows[part] },
        posed,
        Uint32Array.from({ length: pointCount }, (_, p) => p),
        { limit: 2, locks },
      ),
    );
  report(
    `influences weighed over ${POSES} poses, on one thread`,
    (await compare(weigh, unit, { runs: 3, warm: 1 })).ratio,
    'U',
    { most: 600 },
  );

  // Every point that has too many moves to its new row and back, as a move of the slider does.
  const found = weigh();
  const rows = character.rows.map(copyRows);
  const change: Change = found.flatMap(({ points, rows: after }, part) => {
    const before = createRows(points.length, after.stride);
    points.forEach((point, i) => copyRow(rows[part], point, before, i));
    return points.length === 0 ? [] : [{ part, points, before, after }];
  });
  const back: Change = change.map(({ before, after, ...rest }) => ({
    ...rest,
    before: after,
    after: before,
  }));
  const slide = (): void => {
    apply(rows, change);
    apply(rows, back);
  };
  report(
    'a move of the slider, there and back',
    (await compare(slide, unit, { runs: 11, warm: 2 })).ratio,
    'U',
    {
      most: 40,
    },
  );

  const small = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
  const settings = { nonDeforming: new Set<number>(), ranges: {}, skinning: 'linear' } as const;
  const began = performance.now();
  const made = await reportOf(small, settings);
  reportPage(small, made, { name: 'keeper', at: new Date(0), encode: () => '' });
  report(
    'report of the 8k character, but for packing its pictures',
    (performance.now() - began) / 1000,
    's',
    { most: 5 },
  );
}
