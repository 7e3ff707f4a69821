import { listEdges } from '@judoka/core/mesh';
import type { ScenePart } from './ScenePart.ts';
import { strainKernels } from '@judoka/core/analysis/bends';
import type { Editing } from './Editing.ts';

type At = Editing;

/** Brings the strains of the pose on the stage up to date, for all parts that are shown. */
export function updateStrain({ document: { memory }, scene: { parts } }: At): void {
  for (const part of parts) {
    if (!part.visible) continue;
    prepareStrain(part);
    const { edges, lengths, strains, points } = part.strain;
    strainKernels(memory).strainEdges(edges, lengths, part.skin.positions, strains);
    points.fill(0);
    strainKernels(memory).strainPoints(edges, strains, points);
  }
}

/** Fills in edges, and how long they are in the scene where the part was bound; once. */
export function prepareStrain({ strain, paint, skin, part: { inverseBinds } }: ScenePart): void {
  if (strain.ready) return;
  strain.edges.set(listEdges(paint.neighbours));
  const m = inverseBinds.subarray(inverseBinds.length - 16);
  const { rest } = skin;
  for (let e = 0; e < strain.lengths.length; e++) {
    const [a, b] = [strain.edges[e * 2] * 3, strain.edges[e * 2 + 1] * 3];
    const [x, y, z] = [rest[b] - rest[a], rest[b + 1] - rest[a + 1], rest[b + 2] - rest[a + 2]];
    strain.lengths[e] = Math.hypot(
      m[0] * x + m[4] * y + m[8] * z,
      m[1] * x + m[5] * y + m[9] * z,
      m[2] * x + m[6] * y + m[10] * z,
    );
  }
  strain.ready = true;
}
