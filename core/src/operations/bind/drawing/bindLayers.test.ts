import { describe, expect, test } from '@jest/globals';
import {
  controlTriangles,
  handleOwners,
  layerArea,
  type Drawing,
  type Layer,
} from '../../../drawing/index.ts';
import { partOf, skeletonOf } from '../../../testing/testBody.ts';
import { apply } from '../../../weights/delta.ts';
import { createRows, influencesOf, rowSum, weightOf } from '../../../weights/rows.ts';
import { bindSkin } from '../bind.ts';
import { BIND_METHODS } from '../bindRequest.ts';
import { jointsOfLayers, pageBones } from './layerBones.ts';

// A sleeve along x with an elbow in its middle, a hand at its end, a button on it, and a board behind all.
const LIMB: readonly (readonly [string, number, readonly [number, number, number]])[] = [
  ['shoulder', -1, [0, 0, 0]],
  ['elbow', 0, [4, 0, 0]],
  ['wrist', 1, [8, 0, 0]],
];
const skeleton = skeletonOf(LIMB);

/** A box of curves whose handles lie on its sides, at thirds. */
function box(name: string, left: number, right: number, half: number, steps = 1) {
  const corners: [number, number][] = [];
  for (let k = 0; k <= steps; k++) corners.push([left + ((right - left) * k) / steps, -half]);
  for (let k = steps; k >= 0; k--) corners.push([left + ((right - left) * k) / steps, half]);
  const positions: number[] = [];
  corners.forEach(([x, y], k) => {
    const [u, v] = corners[(k + 1) % corners.length];
    for (const share of [0, 1 / 3, 2 / 3]) positions.push(x + share * (u - x), y + share * (v - y), 0);
  });
  const layer: Layer = {
    name,
    shapes: [
      {
        outlines: [{ first: 0, segments: 'C'.repeat(corners.length), closed: true }],
        fillRule: 'nonzero',
        fill: { colour: '#888888', opacity: 1 },
      },
    ],
  };
  const triangles = [...controlTriangles(layer, Float32Array.from(positions))];
  return {
    layer,
    part: partOf(
      name,
      positions,
      triangles,
      LIMB.map(([, , place]) => place),
    ),
  };
}

const layers = [
  box('board', -20, 20, 12),
  box('sleeve', -0.5, 8.2, 1, 8),
  box('hand', 7.8, 10, 0.8),
  box('button', 2, 2.5, 0.2),
];
const drawing: Drawing = {
  ...{ page: [0, 0, 10, 10], scale: 1 },
  layers: layers.map(({ layer }) => layer),
};
const parts = layers.map(({ part }) => part);
const all = Uint8Array.of(1, 1, 1);

describe('a drawing', () => {
  test('is bound to the bones that run in its layers; what has none follows what it lies on', () => {
    const bones = pageBones(skeleton, Float32Array.from(LIMB.flatMap(([, , place]) => place)), all);
    const areas = drawing.layers.map((layer, i) => layerArea(layer, parts[i]));
    expect(jointsOfLayers(areas, bones)).toEqual([[0], [0, 1], [2], [0, 1]]);
  });

  test('by volume, layers that the same joints bend are one body: what lies over one another bends alike', async () => {
    // A patch over the sleeve's elbow, to one side of its middle: bound by itself it differs by a tenth.
    const patch = box('patch', 2.7625, 6.025, 0.5, 3);
    patch.part.positions.forEach((_, k, all) => {
      if (k % 3 === 1) all[k] += 0.45;
      if (k % 3 === 2) all[k] = 0.01;
    });
    const both = [layers[0], layers[1], patch];
    const rows = both.map(({ part }) => createRows(part.pointCount));
    const { change } = await bindSkin(
      {
        parts: both.map(({ part }) => part),
        skeleton,
        rows,
        drawing: { ...drawing, layers: both.map(({ layer }) => layer) },
      },
      { method: 'volume', parts: [1, 2], deforming: all, softness: 0.5, limit: 4, locks: new Uint8Array(3) },
    );
    apply(rows, change);
    const elbowAt = (layer: number, x: number, y: number): number => {
      const { positions, pointCount } = both[layer].part;
      let [best, least] = [0, Infinity];
      for (let p = 0; p < pointCount; p++) {
        const far = Math.hypot(positions[p * 3] - x, positions[p * 3 + 1] - y);
        if (far < least) [best, least] = [p, far];
      }
      return weightOf(rows[layer], best, 1);
    };
    for (const x of [2.7625, 3.85, 4.9375, 6.025])
      expect(Math.abs(elbowAt(2, x, 0.95) - elbowAt(1, x, 1))).toBeLessThan(0.05);
  });

  test.each(BIND_METHODS)(
    'by %s: soft in the sleeve, whole in the hand, handles with their anchors',
    async (method) => {
      const rows = parts.map(({ pointCount }) => createRows(pointCount));
      const { change, report } = await bindSkin(
        { parts, skeleton, rows, drawing },
        { method, parts: [1, 2, 3], deforming: all, softness: 0.5, limit: 4, locks: new Uint8Array(3) },
      );
      apply(rows, change);
      expect(report.asked).toBe(parts[1].pointCount + parts[2].pointCount + parts[3].pointCount);
      const at = (x: number): number => {
        const { positions, pointCount } = parts[1];
        for (let p = 0; p < pointCount; p++) if (Math.abs(positions[p * 3] - x) < 1e-3) return p;
        throw new Error(`Nothing is at ${x}.`);
      };
      expect(weightOf(rows[1], at(-0.5), 0)).toBeGreaterThan(0.95);
      expect(weightOf(rows[1], at(8.2), 1)).toBeGreaterThan(0.95);
      for (let p = 0; p < parts[2].pointCount; p++)
        expect(influencesOf(rows[2], p)).toEqual([{ joint: 2, weight: 1 }]);
      handleOwners(drawing.layers[1], parts[1].vertexCount).forEach((owner, v) => {
        const point = parts[1].vertexPoint[v];
        expect(rowSum(rows[1], point)).toBeCloseTo(1, 6);
        if (owner > 0)
          expect(influencesOf(rows[1], point)).toEqual(
            influencesOf(rows[1], parts[1].vertexPoint[owner - 1]),
          );
      });
      expect(rows[0].values.every((value) => value === 0)).toBe(true);
    },
  );
});
