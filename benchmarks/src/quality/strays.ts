import { apply, OTHERS, type WeightRows } from '@judoka/core/weights';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { findNeighbours } from '@judoka/core/mesh';
import { findStrays, stepsBetween } from '@judoka/core/analysis/strays';
import { type Character, gatherBindSpace } from '@judoka/core/document';
import { liveJoints } from '@judoka/core/skeleton';
import { removeStrays } from '@judoka/core/operations/repair';
import { report } from '../measure.ts';
import { generator } from '../surface.ts';
import { plantStrays, type PlantGround, type PlantSource } from './plantStrays.ts';

const RUNS = 60;
const SOURCES: Readonly<Record<PlantSource, string>> = {
  elsewhere: 'of joints elsewhere in the body',
  near: 'of the same limb or face, two or three joints further',
};

/** Plants patches of foreign weight at random, has them found and removed, and reports what became of them. */
export function measureStrays(name: string, character: Character): void {
  for (const source of Object.keys(SOURCES) as PlantSource[]) measureSource(name, character, source);
}

function measureSource(name: string, character: Character, source: PlantSource): void {
  const { parts, skeleton } = character;
  const { places, roots } = checkInput(character, {});
  const skinned = parts.flatMap(({ role }, part) => (role === 'skinned' ? [part] : []));
  const neighbours = parts.map(({ polygonOffsets, polygonPoints, pointCount }) =>
    findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount),
  );
  const positions = parts.map((_, part) => gatherBindSpace(parts, [part]).positions);
  const size = sizeOf(skinned.map((part) => positions[part]));
  const random = generator(11);
  const steps = stepsBetween(skeleton);
  // What a model strays in as it came says nothing of what was planted.
  const keysOf = (found: ReturnType<typeof findStrays>): Set<string> =>
    new Set(found.flatMap(({ part, points }) => [...points].map((p) => `${part}:${p}`)));
  const came = keysOf(findStrays(checkInput(character, {})));
  const total = { planted: 0, found: 0, told: 0, right: 0, wrongWeight: 0, weight: 0 };
  for (let run = 0; run < RUNS; run++) {
    const clean = character.rows;
    const rows = clean.map(copyOf);
    const joints = liveJoints(skeleton).filter((joint) => !roots.has(joint));
    const ground: PlantGround = { rows, neighbours, positions, places, parts: skinned, joints, size, steps };
    const patches = plantStrays(ground, source, random);
    const planted = new Map<string, number>();
    for (const { part, points, amount } of patches)
      for (const p of points) planted.set(`${part}:${p}`, amount);
    const spoilt = rows.map(copyOf);
    const strays = findStrays(checkInput(character, { rows })).filter(({ twin }) => !twin);
    const told = new Set([...keysOf(strays)].filter((key) => planted.has(key) || !came.has(key)));
    total.planted += planted.size;
    total.told += told.size;
    for (const key of told) if (planted.has(key)) total.right++;
    for (const key of planted.keys()) if (told.has(key)) total.found++;
    if (process.env.STRAYS) explain(character, patches, strays, planted, told);
    const { change } = removeStrays(parts, rows, strays, {
      receiver: OTHERS,
      locks: new Uint8Array(skeleton.joints.length),
      limit: 8,
    });
    apply(rows, change);
    rows.forEach((own, part) => {
      total.wrongWeight += distance(own, clean[part]);
      total.weight += distance(spoilt[part], clean[part]);
    });
  }
  console.log(`\n${name}: ${total.planted} points ${SOURCES[source]}`);
  report('found', total.found / total.planted, '', { least: 0.95 });
  report('of what is reported, planted', total.right / total.told, '', { least: 0.9 });
  report('left after removal, of what was planted', total.wrongWeight / total.weight, '', { most: 0.05 });
}

function explain(
  { skeleton, parts }: Character,
  patches: ReturnType<typeof plantStrays>,
  strays: ReturnType<typeof findStrays>,
  planted: ReadonlyMap<string, number>,
  told: ReadonlySet<string>,
): void {
  for (const { part, joint, points, amount } of patches) {
    const missed = points.filter((p) => !told.has(`${part}:${p}`)).length;
    if (missed > 0)
      console.log(
        `  missed ${missed}/${points.length} ${parts[part].name} ${skeleton.joints[joint].name} ${amount.toFixed(2)} at ${points[0]}`,
      );
  }
  for (const { part, joint, points, kind, mass } of strays) {
    const wrong = [...points].filter((p) => !planted.has(`${part}:${p}`)).length;
    if (wrong > 0)
      console.log(
        `  wrong ${wrong}/${points.length} ${parts[part].name} ${skeleton.joints[joint].name} ${kind} mass ${mass.toFixed(2)}`,
      );
  }
}

const copyOf = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});

/** Half the summed absolute difference, over all points. */
function distance(a: WeightRows, b: WeightRows): number {
  let sum = 0;
  for (let p = 0; p < a.pointCount; p++) {
    const row = new Map<number, number>();
    for (let k = p * a.stride; k < (p + 1) * a.stride; k++)
      row.set(a.joints[k], (row.get(a.joints[k]) ?? 0) + a.values[k]);
    for (let k = p * b.stride; k < (p + 1) * b.stride; k++)
      row.set(b.joints[k], (row.get(b.joints[k]) ?? 0) - b.values[k]);
    for (const difference of row.values()) sum += Math.abs(difference) / 2;
  }
  return sum;
}

function sizeOf(clouds: readonly Float32Array[]): number {
  const spans = [0, 1, 2].map((k) => {
    let [least, most] = [Infinity, -Infinity];
    for (const cloud of clouds) {
      for (let i = k; i < cloud.length; i += 3) {
        least = Math.min(least, cloud[i]);
        most = Math.max(most, cloud[i]);
      }
    }
    return most - least;
  });
  return Math.hypot(...spans);
}
