import { apply, createRows, jointMass, type WeightRows } from '@judoka/core/weights';
import { BIND_METHODS, bindSkin } from '@judoka/core/operations/bind';
import { DEFAULT_SOFTNESS } from '@judoka/core/skeleton';
import { type Character, gatherBindSpace, jointPlaces } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { missed, report } from '../measure.ts';
import { baselines } from './baselines.ts';
import { models } from './models.ts';

console.log(
  'Distance to the maker’s weights: half the summed absolute difference a vertex, mean over vertices.',
);
for (const { name, bytes } of await models(process.argv.slice(2)))
  await measure(name, await readCharacter(openGlb(bytes)));
console.log(missed() > 0 ? `\n${missed()} figures missed` : '\nAll figures hold');

async function measure(name: string, character: Character): Promise<void> {
  const { skeleton } = character;
  const parts = character.parts.flatMap((part, i) => (part.role === 'skinned' ? [i] : []));
  const mass = new Float64Array(skeleton.joints.length);
  for (const part of parts) jointMass(character.rows[part], mass.length, mass);
  const used = Array.from(mass, (m) => m > 0);
  const space = gatherBindSpace(character.parts, parts);
  const dense = (rowsOfPart: readonly WeightRows[]): Float64Array => {
    const all = new Float64Array(mass.length * space.pointCount);
    parts.forEach((part, i) => {
      const rows = rowsOfPart[part];
      for (let p = 0; p < rows.pointCount; p++)
        for (let k = p * rows.stride; k < (p + 1) * rows.stride; k++)
          all[(space.firstPoint[i] + p) * mass.length + rows.joints[k]] += rows.values[k];
    });
    return all;
  };
  const vertices = new Float64Array(space.pointCount);
  parts.forEach((part, i) => {
    for (const point of character.parts[part].vertexPoint) vertices[space.firstPoint[i] + point]++;
  });
  const truth = dense(character.rows);
  /** Of all points, or of those of one part. */
  const distance = (weights: Float64Array, from = 0, to = space.pointCount): number => {
    let [sum, total] = [0, 0];
    for (let p = from; p < to; p++) {
      let far = 0;
      for (let k = p * mass.length; k < (p + 1) * mass.length; k++) far += Math.abs(weights[k] - truth[k]);
      sum += (far / 2) * vertices[p];
      total += vertices[p];
    }
    return sum / total;
  };
  const ofParts = (weights: Float64Array): number[] =>
    parts.map((_, i) => distance(weights, space.firstPoint[i], space.firstPoint[i + 1]));
  console.log(`\n${name}: ${space.pointCount} points, ${used.filter(Boolean).length} joints`);
  const text = baselines(space, skeleton, jointPlaces(skeleton, character.parts), used);
  let bar = Infinity;
  const barOfPart = parts.map(() => Infinity);
  for (const [what, weights] of Object.entries(text) as [string, Float64Array][]) {
    const far = distance(weights);
    bar = Math.min(bar, far);
    ofParts(weights).forEach((each, i) => (barOfPart[i] = Math.min(barOfPart[i], each)));
    report(`  baseline ${what}`, far, '');
  }
  let best = Infinity;
  let bestOfPart: number[] = [];
  for (const method of BIND_METHODS) {
    const rows = character.rows.map(({ pointCount, stride }) => createRows(pointCount, stride));
    const request = {
      method,
      parts,
      deforming: Uint8Array.from(used, Number),
      softness: DEFAULT_SOFTNESS,
      limit: 4,
      locks: new Uint8Array(mass.length),
    };
    const start = performance.now();
    const { change, report: told } = await bindSkin({ parts: character.parts, skeleton, rows }, request);
    const ms = performance.now() - start;
    apply(rows, change);
    const far = distance(dense(rows));
    if (far < best) bestOfPart = ofParts(dense(rows));
    best = Math.min(best, far);
    const fell = told.fallbacks.reduce((sum, { points }) => sum + points.length, 0);
    report(`  ours, ${method}`, far, '', undefined, `${ms.toFixed(0)} ms, ${fell} points in another way`);
  }
  report('  the best of ours against the best baseline', best / bar, '×', { most: 0.75 });
  // The same method on each part; a baseline that is right to a hundredth leaves nothing to compare.
  const ratios = bestOfPart.map((each, i) => (barOfPart[i] < 0.01 ? 0 : each / barOfPart[i]));
  const worst = ratios.indexOf(Math.max(...ratios));
  if (parts.length > 1)
    report(`  its worst part, ${character.parts[parts[worst]].name}`, ratios[worst], '×', { most: 0.8 });
}
