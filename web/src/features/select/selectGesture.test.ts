import { beforeEach, describe, expect, test } from '@jest/globals';
import { drag, pointer, TestStage } from '../../testing/testStage.ts';
import { AROUND, BODY, HAT, openForEach, RINGS } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { selectBrushGesture, selectGesture, selectMode } from './selectGesture.ts';

let at: Workspace;
let stage: TestStage;
openForEach((opened) => ({ at } = opened));
beforeEach(() => {
  stage = new TestStage(at);
  stage.settings = { ...stage.settings, selectShape: 'box', selectThrough: true };
});

const selected = (): number[] => [...(at.scene.selection.points().get(BODY) ?? [])];
const ringsOf = (points: number[]): number[] => [...new Set(points.map((p) => Math.floor(p / AROUND)))];

/** A box about the tube between two places of its length. */
function box(from: number, to: number, more: Partial<PointerEvent> = {}): void {
  const first = stage.spotOf(from, 1, 0.4);
  const gesture = selectGesture(stage.context, first, pointer(more), false);
  drag(gesture, [stage.spotOf((from + to) / 2, 0, 0.4), stage.spotOf(to, -1, 0.4)], more);
}

const click = (x: number, y = 0, more: Partial<PointerEvent> = {}, isSecond = false): void => {
  const spot = stage.spotOf(x, y, 0.4);
  drag(selectGesture(stage.context, spot, pointer(more), isSecond), [{ x: spot.x + 1, y: spot.y }], more);
};

describe('a box', () => {
  test('takes what lies in it, through the surface', () => {
    box(0.9, 2.1);
    expect(ringsOf(selected())).toEqual([16, 17, 18, 19, 20]);
    expect(selected()).toHaveLength(5 * AROUND);
  });

  test('or only what is seen', () => {
    stage.settings = { ...stage.settings, selectThrough: false };
    box(0.9, 2.1);
    const { positions } = at.scene.parts[BODY].skin;
    expect(selected().length).toBeGreaterThan(0);
    for (const p of selected()) expect(positions[p * 3 + 2]).toBeGreaterThan(-0.05);
  });

  test('Shift adds, Alt takes away; the outline goes when it is let go', () => {
    box(0.9, 1.1);
    box(1.9, 2.1, { shiftKey: true });
    expect(ringsOf(selected())).toEqual([16, 20]);
    box(1.9, 2.1, { altKey: true });
    expect(ringsOf(selected())).toEqual([16]);
    expect(stage.outlines.at(-1)).toBeUndefined();
    expect([
      selectMode({ shiftKey: true, altKey: true }),
      selectMode({ shiftKey: false, altKey: false }),
    ]).toEqual(['take', 'replace']);
  });

  test('hidden parts are not taken', () => {
    at.scene.visibility.setVisible(BODY, false);
    box(-4, 4);
    expect(selected()).toEqual([]);
    expect(at.scene.selection.points().has(HAT)).toBe(true);
  });
});

test('a line drawn by hand takes what it goes about', () => {
  stage.settings = { ...stage.settings, selectShape: 'lasso' };
  const about = (x: number, y: number) => stage.spotOf(x, y, 0.4);
  const gesture = selectGesture(stage.context, about(0.9, 1), pointer(), false);
  drag(gesture, [about(1.1, 1), about(1.1, -1), about(0.9, -1), about(0.9, 1)]);
  expect(ringsOf(selected())).toEqual([16]);
});

describe('a click', () => {
  test('takes the nearest point; beside the body it lets go of all', () => {
    click(1.02);
    expect(selected()).toHaveLength(1);
    expect(ringsOf(selected())).toEqual([16]);
    click(1.02, 3);
    expect(at.scene.selection.count).toBe(0);
  });

  test('a second one at once takes the island', () => {
    click(1.02);
    click(1.02, 0, {}, true);
    expect(selected()).toHaveLength(RINGS * AROUND);
    expect(at.scene.selection.points().has(HAT)).toBe(false);
  });

  test('with Shift beside the body nothing is lost', () => {
    click(1.02);
    click(1.02, 3, { shiftKey: true });
    expect(at.scene.selection.count).toBe(1);
  });
});

describe('the brush', () => {
  test('selects what it passes over; with Alt it takes away', () => {
    stage.radius = 0.3;
    const [first, last] = [0.9, 1.1].map((x) => stage.spotOf(x, 0, 0.4));
    drag(selectBrushGesture(stage.context, first, pointer()), [last]);
    const before = selected();
    expect(ringsOf(before)).toContain(16);
    expect(ringsOf(before)).not.toContain(20);
    drag(selectBrushGesture(stage.context, first, pointer({ altKey: true })), [last]);
    expect(selected().length).toBeLessThan(before.length);
  });
});
