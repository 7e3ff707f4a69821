import { type Change, changeInfluence } from '@judoka/core/weights';
import { falloffAt } from '@judoka/core/math';
import { listMask, ringsFrom } from '@judoka/core/mesh';
import { falloffOf, type UiSettings } from '../../settings/uiSettings.ts';
import { scopeOf } from '../../scene/scope.ts';
import { receiverRules, type ReceiverSettings } from '../../scene/receiver.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

type Place = readonly [number, number, number];
type Settings = ReceiverSettings & Pick<UiSettings, 'falloff' | 'ownFalloff' | 'gradient'>;

/** Weights of the chosen joint to be, by part: points with a target each. */
type Targets = ReadonlyMap<number, { readonly points: Uint32Array; readonly values: Float32Array }>;

/**
 * From one place to another on the surface as it is posed: all of the weight at the first, none at the second, by the
 * brush's falloff between. Linear takes what lies before the first along; around only what is within the reach.
 */
export function gradientChange(at: At, from: Place, to: Place, settings: Settings): Change {
  const direction = to.map((x, k) => x - from[k]);
  const squared = direction.reduce((sum, x) => sum + x * x, 0) || 1e-12;
  const around = settings.gradient === 'around';
  const targets = new Map<number, { points: Uint32Array; values: Float32Array }>();
  for (const [part, points] of scopeOf(at)) {
    const { positions } = at.scene.parts[part].skin;
    const share = (p: number): number => {
      const off = [
        positions[p * 3] - from[0],
        positions[p * 3 + 1] - from[1],
        positions[p * 3 + 2] - from[2],
      ];
      if (around) return Math.sqrt((off[0] ** 2 + off[1] ** 2 + off[2] ** 2) / squared);
      return (off[0] * direction[0] + off[1] * direction[1] + off[2] * direction[2]) / squared;
    };
    const meant = around ? points.filter((p) => share(p) < 1) : points;
    targets.set(part, {
      points: meant,
      values: Float32Array.from(meant, (p) => weightAt(settings, share(p))),
    });
  }
  return towards(at, targets, settings);
}

/** Outward from the selection by rings of edges: all of the weight on it, none `rings` away. */
export function ringsChange(at: At, rings: number, settings: Settings): Change {
  const targets = new Map<number, { points: Uint32Array; values: Float32Array }>();
  for (const [part] of at.scene.selection.points()) {
    const far = ringsFrom(at.scene.parts[part].paint.neighbours, at.scene.selection.masks[part], rings);
    const points = listMask(Uint8Array.from(far, (ring) => (ring <= rings ? 1 : 0)));
    targets.set(part, {
      points,
      values: Float32Array.from(points, (p) => weightAt(settings, far[p] / (rings + 1))),
    });
  }
  return towards(at, targets, settings);
}

const weightAt = (settings: Settings, share: number): number =>
  falloffAt(falloffOf(settings), Math.max(0, Math.min(1, share)));

function towards(at: At, targets: Targets, settings: Settings): Change {
  return [...targets]
    .map(([part, { points, values }]) => {
      const { skin } = at.scene.parts[part];
      let i = 0;
      const rules = receiverRules(at, part, settings);
      return changeInfluence(part, skin.rows, points, at.scene.joint, () => values[i++], rules).delta;
    })
    .filter(({ points }) => points.length > 0)
    .sort((a, b) => a.part - b.part);
}
