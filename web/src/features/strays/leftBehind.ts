import { liveJoints } from '@judoka/core/skeleton';
import type { Editing } from '../../scene/Editing.ts';

/**
 * What would stay behind if the whole character were carried by its uppermost joints: points without weight, by part.
 */
export function leftBehind({ document, scene }: Editing): Map<number, Uint32Array> {
  const found = new Map<number, Uint32Array>();
  const live = new Set(liveJoints(document.skeleton));
  for (const { index, part, skin, visible } of scene.parts) {
    if (!visible || part.role !== 'skinned') continue;
    const { joints, values, stride, pointCount } = skin.rows;
    const points: number[] = [];
    for (let p = 0; p < pointCount; p++) {
      let moved = 0;
      for (let k = p * stride; k < (p + 1) * stride && values[k] > 0; k++)
        if (live.has(joints[k])) moved += values[k];
      if (moved < 0.999) points.push(p);
    }
    if (points.length > 0) found.set(index, Uint32Array.from(points));
  }
  return found;
}
