import { describe, expect, test } from '@jest/globals';
import { simulateStorage } from '../testing/simulateStorage.ts';
import {
  falloffOf,
  MAX_RADIUS,
  MIN_RADIUS,
  radiusSet,
  restoreUiSettings,
  rosterChanged,
  settingsChanged,
  storeUiSettings,
  strengthSet,
  toolChosen,
  uiSettingsSlice,
} from './uiSettings.ts';

const { reducer } = uiSettingsSlice;
const initial = reducer(undefined, { type: 'begin' });
const held = simulateStorage();

/** What is stored, whatever it is called. */
const store = (value: unknown): void => {
  storeUiSettings(initial);
  const [key] = held.keys();
  held.set(key, typeof value === 'string' ? value : JSON.stringify(value));
};

describe('settings over a visit', () => {
  test('are as they were, but for the tool in hand and what stands beside the stage', () => {
    const changed = {
      ...initial,
      radius: 0.2,
      softness: 0.4,
      tool: 'smooth' as const,
      beside: 'mirror' as const,
    };
    storeUiSettings(changed);
    expect(restoreUiSettings()).toEqual({ ...changed, tool: 'pose', beside: 'none' });
  });

  test.each(['not json', 'null', '[]', '3', '"text"'])('%s is nothing that can be used', (text) => {
    store(text);
    expect(restoreUiSettings()).toEqual({ ...initial, tool: 'pose', beside: 'none' });
  });

  test('what an earlier version stored otherwise is left out, alone', () => {
    store({ radius: 'wide', strength: 0.7, ownFalloff: { 0: 1 }, roster: null, view: 'grey', gone: 3 });
    expect(restoreUiSettings()).toEqual({
      ...initial,
      strength: 0.7,
      view: 'grey',
      tool: 'pose',
      beside: 'none',
    });
  });

  test('a browser that keeps nothing, or refuses to, does not stop the work', () => {
    Object.assign(globalThis, {
      localStorage: {
        getItem: () => {
          throw new Error('denied');
        },
        setItem: () => {
          throw new Error('full');
        },
      },
    });
    expect(restoreUiSettings()).toEqual(initial);
    expect(() => storeUiSettings(initial)).not.toThrow();
  });
});

describe('what is set', () => {
  test('radius and strength keep to their bounds', () => {
    expect(reducer(initial, radiusSet(9)).radius).toBe(MAX_RADIUS);
    expect(reducer(initial, radiusSet(-1)).radius).toBe(MIN_RADIUS);
    expect(reducer(initial, strengthSet(3)).strength).toBe(1);
    expect(reducer(initial, strengthSet(0)).strength).toBe(0.01);
  });

  test('changes only what is named', () => {
    expect(reducer(initial, settingsChanged({ limit: 6 }))).toEqual({ ...initial, limit: 6 });
    expect(reducer(initial, toolChosen('smooth'))).toEqual({ ...initial, tool: 'smooth' });
    expect(reducer(initial, rosterChanged({ folded: true })).roster).toEqual({
      ...initial.roster,
      folded: true,
    });
  });

  test('a curve of one’s own is used where it is chosen, else the one that is named', () => {
    expect(falloffOf({ falloff: 'own', ownFalloff: [1, 0] })).toEqual([1, 0]);
    expect(falloffOf({ falloff: 'flat', ownFalloff: [1, 0] })).toBe('flat');
  });
});
