import { rulesOf } from '../../scene/scope.ts';
import { type Change, changeInfluence, type Delta, type Influence, influencesOf } from '@judoka/core/weights';
import {
  healPoints,
  meanRow,
  moveWeight,
  pasteRow,
  type PruneSettings,
  pruneWeights,
} from '@judoka/core/operations/exact';
import { receiverRules, type ReceiverSettings } from '../../scene/receiver.ts';
import type { Editing } from '../../scene/Editing.ts';

export type At = Editing;

/** One influence of the selection: its least, mean and greatest weight. */
export interface InfluenceSpan {
  readonly joint: number;
  readonly least: number;
  readonly mean: number;
  readonly most: number;
}

/** The influences of points, heaviest first. */
export function spansOf(
  { scene: { parts }, document: { bound } }: At,
  points: ReadonlyMap<number, Uint32Array>,
): InfluenceSpan[] {
  const [sums, mosts, leasts] = [0, 0, 1].map((start) => new Float64Array(bound.jointCapacity).fill(start));
  const counts = new Uint32Array(bound.jointCapacity);
  let total = 0;
  for (const [part, list] of points) {
    const { joints, values, stride } = parts[part].skin.rows;
    total += list.length;
    for (const p of list) {
      for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++) {
        const joint = joints[k];
        counts[joint]++;
        sums[joint] += values[k];
        if (values[k] > mosts[joint]) mosts[joint] = values[k];
        if (values[k] < leasts[joint]) leasts[joint] = values[k];
      }
    }
  }
  return [...counts.keys()]
    .filter((joint) => counts[joint] > 0)
    .map((joint) => ({
      joint,
      least: counts[joint] < total ? 0 : leasts[joint],
      mean: sums[joint] / total,
      most: mosts[joint],
    }))
    .sort((a, b) => b.mean - a.mean);
}

function each(
  points: ReadonlyMap<number, Uint32Array>,
  work: (part: number, list: Uint32Array) => Delta,
): Change {
  return [...points]
    .map(([part, list]) => work(part, list))
    .filter(({ points: changed }) => changed.length > 0)
    .sort((a, b) => a.part - b.part);
}

export type InfluenceEdit =
  | { readonly kind: 'set'; readonly to: number }
  | { readonly kind: 'scale'; readonly by: number }
  | { readonly kind: 'shift'; readonly by: number };

/** The change that sets, scales or offsets one joint's weight at points; and how many could not do it. */
export function influenceChange(
  at: At,
  points: ReadonlyMap<number, Uint32Array>,
  joint: number,
  edit: InfluenceEdit,
  settings: ReceiverSettings,
): { change: Change; held: number } {
  const next = (weight: number): number =>
    edit.kind === 'set' ? edit.to : edit.kind === 'scale' ? weight * edit.by : weight + edit.by;
  let held = 0;
  const change = each(points, (part, list) => {
    const { skin } = at.scene.parts[part];
    const made = changeInfluence(part, skin.rows, list, joint, next, receiverRules(at, part, settings));
    held += made.held;
    return made.delta;
  });
  return { change, held };
}

export function moveChange(
  at: At,
  points: ReadonlyMap<number, Uint32Array>,
  from: number,
  to: number,
  share: number,
): Change {
  const rules = rulesOf(at);
  return each(points, (part, list) =>
    moveWeight(part, at.scene.parts[part].skin.rows, from, to, rules, share, list),
  );
}

export function pruneChange(
  at: At,
  points: ReadonlyMap<number, Uint32Array>,
  settings: PruneSettings,
): Change {
  return each(points, (part, list) => {
    const { rows } = at.scene.parts[part].skin;
    return pruneWeights(part, rows, list, settings, rulesOf(at, rows.stride));
  });
}

export function healChange(at: At, points: ReadonlyMap<number, Uint32Array>, limit: number): Change {
  const rules = rulesOf(at, limit);
  return each(points, (part, list) => {
    const { skin, paint, part: held } = at.scene.parts[part];
    return healPoints(part, skin.rows, held.positions, paint.neighbours, list, rules);
  });
}

export function pasteChange(
  at: At,
  points: ReadonlyMap<number, Uint32Array>,
  row: readonly Influence[],
  limit: number,
): Change {
  const rules = rulesOf(at, limit);
  return each(points, (part, list) => pasteRow(part, at.scene.parts[part].skin.rows, list, row, rules));
}

/** The mean weights of points; those of the one point where it is one. */
export function rowOf(at: At, points: ReadonlyMap<number, Uint32Array>): Influence[] {
  const [[part, list]] = [...points];
  if (points.size === 1 && list.length === 1)
    return [...influencesOf(at.scene.parts[part].skin.rows, list[0])];
  return meanRow(at.document.rowsOfPart(), points);
}

/** What a change would do, told before it is kept: how many points, by how much at most, and how far the surface goes. */
export function foretell(at: At, change: Change): { points: number; most: number; movement: number } {
  let most = 0;
  for (const { before, after, points } of change) {
    for (let i = 0; i < points.length; i++) {
      for (const { joint, weight } of influencesOf(before, i)) {
        const now = influencesOf(after, i).find((one) => one.joint === joint)?.weight ?? 0;
        most = Math.max(most, Math.abs(weight - now));
      }
    }
  }
  return {
    points: change.reduce((sum, { points }) => sum + points.length, 0),
    most,
    movement: at.scene.movementOf(change),
  };
}
