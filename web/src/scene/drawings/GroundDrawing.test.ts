import { expect, test } from '@jest/globals';
import { Vector3 } from 'three';
import { DAY } from '../../ui/theme/tokens.ts';
import { openForEach } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { GroundDrawing } from './GroundDrawing.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened));

test('lies at the height of the lowest point at rest, about what is looked at, by whole squares', () => {
  const ground = new GroundDrawing(at, DAY);
  const lowest = Math.min(
    ...at.scene.parts.flatMap(({ skin }) => [...skin.positions].filter((_, i) => i % 3 === 1)),
  );
  ground.lieAbout(new Vector3(3.3, 7, -2.1));
  const { position, geometry } = ground.lines;
  expect(position.y).toBeCloseTo(lowest, 5);
  geometry.computeBoundingBox();
  const size = geometry.boundingBox?.getSize(new Vector3());
  expect(size?.y).toBeCloseTo(0, 6);
  expect(size?.x).toBeCloseTo(size?.z ?? 0, 5);
  const before = position.clone();
  ground.lieAbout(new Vector3(3.3 + 1e-4, 9, -2.1));
  expect(position.equals(before)).toBe(true);
  ground.dispose();
});
