import { beforeEach, describe, expect, test } from '@jest/globals';
import type { RankedStray } from '@judoka/core/analysis/strays';
import { stageKeys } from '../scene/stageActions.ts';
import { settingsChanged, toolChosen } from '../settings/uiSettings.ts';
import { store } from '../settings/store.ts';
import {
  ARM_L,
  BODY,
  CHEST,
  doneLabels,
  giveWeight,
  HAND_L,
  HAND_R,
  openForEach,
  ringPoints,
} from '../testing/testWorkspace.ts';
import { ACTIONS, actionOf, keyOf, withKey, type ActionContext } from './actions.ts';
import { letGo, onKeyDown, onKeyUp } from './keys.ts';
import type { Workspace } from './Workspace.ts';

/** As much of the page's elements as keys ask about. */
class FakeElement {
  readonly tagName: string;
  readonly isContentEditable = false;
  readonly type: string;
  readonly readOnly: boolean;
  /** Selectors that it answers to. */
  readonly #is: readonly string[];
  constructor(tagName: string, { type = 'text', readOnly = false, is = [] as readonly string[] } = {}) {
    this.tagName = tagName;
    this.type = type;
    this.readOnly = readOnly;
    this.#is = is;
  }
  matches(selector: string): boolean {
    return this.#is.some((each) => selector.includes(each));
  }
  closest(selector: string): FakeElement | null {
    return this.matches(selector) ? this : null;
  }
}

let at: Workspace;
const done: string[] = [];
let prevented = 0;
let listShown = 0;
openForEach((opened) => ({ at } = opened));

beforeEach(() => {
  done.length = prevented = listShown = 0;
  Object.assign(globalThis, {
    HTMLElement: FakeElement,
    HTMLButtonElement: class extends FakeElement {},
    document: {
      activeElement: null,
      addEventListener: () => undefined,
      removeEventListener: () => undefined,
    },
  });
  store.dispatch(toolChosen('pose'));
  store.dispatch(settingsChanged({ keys: {} }));
  step = 'paint';
  stageKeys({
    frameAll: () => done.push('all'),
    frameJoint: () => done.push('joint'),
    frameSelection: () => done.push('selection'),
    look: (from) => done.push(from),
    sizing: (held) => done.push(`sizing ${String(held)}`),
    picture: () => '',
  });
});

const event = (key: string, more: object = {}): KeyboardEvent =>
  ({
    key,
    target: new FakeElement('CANVAS'),
    preventDefault: () => prevented++,
    ...more,
  }) as unknown as KeyboardEvent;
let step: ActionContext['step'] = 'paint';
const context = (): ActionContext => ({
  ...{ at, step },
  go: (to) => void done.push(`to ${to}`),
  showList: () => {
    listShown++;
  },
  toggleNight: () => void done.push('night'),
});
const press = (key: string, more: object = {}): void => onKeyDown(event(key, more), context());
const release = (key: string): void => onKeyUp(event(key), { at });
const ui = () => store.getState().ui;

describe('tools', () => {
  test.each([
    ['1', 'pose'],
    ['2', 'add'],
    ['3', 'take'],
    ['4', 'set'],
    ['5', 'smooth'],
    ['6', 'sharpen'],
    ['7', 'scale'],
    ['8', 'select'],
    ['9', 'gradient'],
  ])('%s takes %s', (key, tool) => {
    press(key);
    expect(ui().tool).toBe(tool);
    expect(prevented).toBe(1);
  });

  test('other letters take none, and are left to the browser', () => {
    for (const key of ['q', 'a', 'w', 'y', 'Tab', 'F5', 'Enter']) press(key);
    expect(ui().tool).toBe('pose');
    expect(prevented).toBe(0);
  });

  test('radius and strength step, and stay within their bounds', () => {
    store.dispatch(settingsChanged({ depth: 'surface' }));
    const before = ui().radius;
    press(']');
    expect(ui().radius).toBeCloseTo(before * 1.15, 6);
    for (let i = 0; i < 100; i++) press('[');
    expect(ui().radius).toBeGreaterThan(0);
    for (let i = 0; i < 60; i++) press('=');
    expect(ui().strength).toBe(1);
    for (let i = 0; i < 60; i++) press('-');
    expect(ui().strength).toBeGreaterThan(0);
  });

  test('T goes through the surface with brush and selecting, and back', () => {
    store.dispatch(settingsChanged({ depth: 'surface' }));
    press('t');
    expect([ui().depth, ui().selectThrough]).toEqual(['through', true]);
    press('T');
    expect([ui().depth, ui().selectThrough]).toEqual(['surface', false]);
  });
});

describe('keys that are typed somewhere', () => {
  test.each(['INPUT', 'TEXTAREA', 'SELECT'])('into a field (%s) belong to it, undo too', async (tag) => {
    await at.document.perform('An edit', { weights: giveWeight(at, ringPoints(18), CHEST, 0.9) });
    const target = new FakeElement(tag);
    for (const key of ['2', 'm', ' ', 'h', '?']) press(key, { target });
    press('z', { target, ctrlKey: true });
    expect(ui().tool).toBe('pose');
    expect(at.mirroring.live).toBe(false);
    expect(listShown).toBe(0);
    expect(doneLabels(at)).toEqual(['An edit']);
  });

  test.each([
    ['a button', new FakeElement('BUTTON', { is: ['button'] })],
    ['a segment', new FakeElement('INPUT', { type: 'radio', is: ['input'] })],
    ['a switch', new FakeElement('INPUT', { type: 'checkbox', is: ['input'] })],
    ['a dropdown', new FakeElement('INPUT', { readOnly: true, is: ['input'] })],
    ['a slider', new FakeElement('DIV', { is: ['[role]'] })],
  ])('after a click on %s they work all the same, undo too', async (_, target) => {
    await at.document.perform('An edit', { weights: giveWeight(at, ringPoints(18), CHEST, 0.9) });
    press('2', { target });
    expect(ui().tool).toBe('add');
    press(' ', { target });
    expect(at.scene.showsRest).toBe(true);
    release(' ');
    press('z', { target, ctrlKey: true });
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(doneLabels(at)).toEqual([]);
  });

  test('Space presses a button that somebody walked to by Tab', () => {
    press(' ', { target: new FakeElement('BUTTON', { is: ['button', ':focus-visible'] }) });
    expect([at.scene.showsRest, prevented]).toEqual([false, 0]);
  });

  test('behind a dialog nothing is done, nor what somebody else has taken', () => {
    press('2', { target: new FakeElement('BUTTON', { is: ['[aria-modal="true"]'] }) });
    press('2', { defaultPrevented: true });
    expect(ui().tool).toBe('pose');
  });

  test('with Alt, or as a shortcut of the browser, they are left alone', () => {
    press('2', { altKey: true });
    press('r', { ctrlKey: true });
    expect(ui().tool).toBe('pose');
    expect(done).toEqual([]);
  });
});

describe('undo and redo', () => {
  const settled = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 20));

  test('Ctrl+Z and Ctrl+Shift+Z, or Ctrl+Y; on a computer with a command key that one', async () => {
    await at.document.perform('An edit', { weights: giveWeight(at, ringPoints(18), CHEST, 0.9) });
    press('z', { ctrlKey: true });
    await settled();
    expect(doneLabels(at)).toEqual([]);
    press('Z', { ctrlKey: true, shiftKey: true });
    await settled();
    expect(doneLabels(at)).toEqual(['An edit']);
    press('z', { metaKey: true });
    await settled();
    press('y', { ctrlKey: true });
    await settled();
    expect(doneLabels(at)).toEqual(['An edit']);
  });
});

describe('the stage', () => {
  test('what the camera looks at', () => {
    for (const key of ['e', 'j', 's', 'f', 'l', 'b', 'u']) press(key);
    expect(done).toEqual(['all', 'joint', 'selection', 'front', 'side', 'back', 'above']);
  });

  test('Space shows rest while it is held; a page that is left lets go', () => {
    press(' ');
    expect(at.scene.showsRest).toBe(true);
    release(' ');
    expect(at.scene.showsRest).toBe(false);
    press(' ');
    letGo(at);
    expect(at.scene.showsRest).toBe(false);
  });

  test('where joints are placed, rest stays when Space is let go', () => {
    store.dispatch(toolChosen('place'));
    press(' ');
    release(' ');
    expect(at.scene.showsRest).toBe(true);
  });

  test('R sizes the brush for as long as it is held', () => {
    press('r');
    release('R');
    expect(done).toEqual(['sizing true', 'sizing false']);
  });

  test('V hides the selection, and with nothing selected shows all again', () => {
    at.scene.selection.choosePoints(new Map([[BODY, Uint32Array.of(1, 2)]]), 'replace');
    press('v');
    expect(at.scene.parts[BODY].hidden?.[1]).toBe(1);
    expect(at.scene.selection.count).toBe(0);
    press('v');
    expect(at.scene.parts[BODY].hidden?.[1] ?? 0).toBe(0);
  });

  test('M mirrors; G, X and O change how the surface is drawn', () => {
    press('m');
    expect(at.mirroring.live).toBe(true);
    const { edges, seeThrough, straight } = ui();
    for (const key of ['g', 'x', 'o']) press(key);
    expect([ui().edges, ui().seeThrough, ui().straight]).toEqual([!edges, !seeThrough, !straight]);
  });

  test('? shows the list', () => {
    press('?');
    expect(listShown).toBe(1);
  });
});

describe('the next trouble', () => {
  const stray = (joint: number, more: Partial<RankedStray> = {}): RankedStray => ({
    ...{ part: BODY, joint, kind: 'apart', points: ringPoints(4), mass: 3, twin: false, movement: 1 },
    bend: undefined,
    ...more,
  });

  /** As if it had been looked. */
  function find(strays: readonly RankedStray[]): void {
    Object.assign(at.strayList.look, { found: strays, isStale: false });
    Object.assign(at.blemishList.look, { found: { blemishes: [], sides: [] }, isStale: false });
    at.strayList.events.publish('changed');
  }

  test('N shows the worst that strays, then the next, round and round; with none it says so', () => {
    const told: string[] = [];
    at.document.notify = (sentence) => void told.push(sentence);
    press('n');
    expect(told[0]).toMatch(/still being looked at/);
    find([]);
    press('n');
    expect(told[1]).toMatch(/No weight strays/);
    find([stray(HAND_R), stray(HAND_L), stray(ARM_L, { twin: true })]);
    const walked = [1, 2, 3].map(() => {
      press('n');
      return at.scene.joint;
    });
    expect(walked).toEqual([HAND_R, HAND_L, HAND_R]);
    expect(at.scene.marks.points.get(BODY)).toEqual(ringPoints(4));
  });

  test('Escape puts it away; what is cured or gone is not shown any more', () => {
    find([stray(HAND_R), stray(HAND_L)]);
    press('n');
    expect(at.troubles.shown()?.joint).toBe(HAND_R);
    expect(at.troubles.wordsOf(HAND_L)).toContain('hand_L');
    press('Escape');
    expect(at.troubles.shown()).toBeUndefined();
    expect(at.scene.marks.points.size).toBe(0);
    press('n');
    find([stray(HAND_L)]);
    expect(at.troubles.shown()).toBeUndefined();
    prevented = 0;
    press('Escape');
    expect(prevented).toBe(0);
  });

  test('N takes the pose in which it shows', () => {
    const bend = { joint: HAND_R, angles: { bend: 30, side: 0, twist: 0 } };
    find([stray(HAND_R, { bend })]);
    press('n');
    expect(Object.keys(at.scene.pose)).toEqual([String(HAND_R)]);
  });
});

describe('a clip', () => {
  test('comma and full stop step a frame, P plays; without one they are left to the browser', async () => {
    press('.');
    press('p');
    expect(prevented).toBe(0);
    await at.clips.choose('file:0');
    press('.');
    press('.');
    press(',');
    expect(at.clips.frame).toBe(1);
    press('p');
    expect(at.clips.playing).toBe(true);
    press('p');
    expect(at.clips.playing).toBe(false);
  });
});

describe('where a tool is used', () => {
  test.each([
    ['exact', '2', 'brush'],
    ['select', '7', 'brush'],
    ['mirror', '9', 'brush'],
    ['brush', '8', 'select'],
  ] as const)('on the page %s, %s opens the page %s', (from, key, to) => {
    store.dispatch(settingsChanged({ paintPage: from }));
    press(key);
    expect([ui().paintPage, done]).toEqual([to, []]);
  });

  test('a brush is taken from another stage to Paint; selecting is at home in Bind too', () => {
    step = 'trial';
    press('3');
    expect([ui().tool, done]).toEqual(['take', ['to paint']]);
    step = 'bind';
    press('8');
    expect([ui().tool, ui().bindPage, done]).toEqual(['select', 'pieces', ['to paint']]);
  });
});

describe('keys of one’s own', () => {
  const edges = ACTIONS.find(({ id }) => id === 'edges') as (typeof ACTIONS)[number];

  test('each action has a key of its own, or none', () => {
    const keys = ACTIONS.map((action) => keyOf(action, {})).filter((key) => key !== '');
    expect(new Set(keys).size).toBe(keys.length);
    expect(new Set(ACTIONS.map(({ id }) => id)).size).toBe(ACTIONS.length);
  });

  test('one that is chosen works, the old one does not, and who had it has none', () => {
    const { own, loser } = withKey({}, edges, 'm');
    expect(loser?.id).toBe('mirror');
    store.dispatch(settingsChanged({ keys: own }));
    const before = ui().edges;
    press('g');
    expect(ui().edges).toBe(before);
    press('m');
    expect([ui().edges, at.mirroring.live]).toEqual([!before, false]);
  });

  test('the same key again, or none, takes nothing from anybody', () => {
    expect(withKey({}, edges, 'g').loser).toBeUndefined();
    const { own } = withKey({}, edges, '');
    expect([actionOf('g', own), actionOf('', own)]).toEqual([undefined, undefined]);
  });
});
