import { benchGrowth } from './growth.ts';
import { benchClothes } from './clothes.ts';
import { benchMesh } from './mesh.ts';
import { benchCures } from './cures.ts';
import { benchDeliver } from './deliver.ts';
import { benchDrawing } from './drawing.ts';
import { benchExact } from './exact.ts';
import { benchPainting } from './painting.ts';
import { benchBindGrowth, benchBinding } from './binding.ts';
import { benchFiles } from './files.ts';
import { benchRescue } from './rescue.ts';
import { compare, measure, missed, report } from './measure.ts';
import { pointCount, section, SIDE, skinAll, surface, unit } from './context.ts';
import { makeSurface } from './surface.ts';
import { threeSkinning } from './threeSkinning.ts';
import { benchTrial } from './trial.ts';

const U = measure(unit, { runs: 201, warm: 100 });
console.log(
  `Kernels: ${surface.memory.compiled ? 'compiled' : 'plain'}. Every figure is taken in turn with its baseline.`,
);
console.log(
  `U: linear blend skinning of ${pointCount} points, four influences, with normals: ${U.median.toFixed(2)} ms`,
);

await benchSkinning();
await benchPainting();
await benchExact();
section('Trial, per 100k points');
await benchTrial(surface, unit);
await benchRescue();
await benchDrawing();
await benchDeliver();
await benchCures();
await benchClothes();
await benchMesh();
await benchFiles();
await benchBinding();
await benchBindGrowth();
await benchGrowth();
console.log(missed() > 0 ? `\n${missed()} figures missed` : '\nAll figures hold');

async function benchSkinning(): Promise<void> {
  section('Skinning');
  // What skinning reads and writes: position, normal, four slots; position and normal again.
  const bytes = pointCount * (24 + 24 + 24);
  const [from, to] = [new Float32Array(bytes / 4), new Float32Array(bytes / 4)];
  const copy = await compare(unit, () => to.set(from), { runs: 151 });
  report('U against a plain copy of the same bytes', copy.ratio, '×', { most: 5 });
  report('  bytes read and written', bytes / copy.ms / 1e6, 'GB/s');
  const three = await compare(threeSkinning(surface), unit, { runs: 21, warm: 4 });
  report('three’s applyBoneTransform (positions only) against U', three.ratio, '×', { least: 15 });
  const mixed = await makeSurface(SIDE, (random) => 1 + Math.floor(random() * 7.999));
  report('one to eight influences', (await compare(skinAll(mixed), unit, { runs: 151 })).ratio, 'U', {
    most: 1.8,
  });
}
