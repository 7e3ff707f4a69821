import { describe, expect, test } from '@jest/globals';
import { Writer } from './Writer.ts';

const later = (milliseconds = 5): Promise<void> =>
  new Promise((resolve) => setTimeout(resolve, milliseconds));

describe('who may write', () => {
  test('one at a time: a stroke that cannot wait is told who is at work', () => {
    const writer = new Writer();
    const turn = writer.begin('A stroke');
    expect(writer.holder).toBe('A stroke');
    expect(() => writer.begin('Another')).toThrow('A stroke is under way. Try again when it is done.');
    turn.end();
    expect(writer.holder).toBeUndefined();
    writer.begin('Another').end();
  });

  test('whoever can wait is let in, in the order of asking', async () => {
    const writer = new Writer();
    const order: string[] = [];
    const turn = writer.begin('A stroke');
    const all = ['one', 'two', 'three'].map((what) =>
      writer.write(what, async () => {
        order.push(`${what} begins`);
        await later();
        order.push(`${what} ends`);
      }),
    );
    await later();
    expect(order).toEqual([]);
    turn.end();
    await Promise.all(all);
    expect(order).toEqual(['one begins', 'one ends', 'two begins', 'two ends', 'three begins', 'three ends']);
    expect(writer.holder).toBeUndefined();
  });

  test('nobody comes in between while the turn is handed over', async () => {
    const writer = new Writer();
    const turn = writer.begin('A stroke');
    const waiting = writer.write('An undo', () => 'done');
    turn.end();
    expect(() => writer.begin('A second stroke')).toThrow();
    expect(await waiting).toBe('done');
    writer.begin('A second stroke').end();
  });

  test('work that fails gives the turn back, and its error goes to who asked', async () => {
    const writer = new Writer();
    const failing = writer.write('Bad work', () => Promise.reject(new Error('It failed.')));
    const next = writer.write('Good work', () => 7);
    await expect(failing).rejects.toThrow('It failed.');
    expect(await next).toBe(7);
    await expect(
      writer.write('Worse work', () => {
        throw new Error('At once.');
      }),
    ).rejects.toThrow('At once.');
    expect(writer.holder).toBeUndefined();
  });

  test('a turn that is ended twice gives nobody else’s back', () => {
    const writer = new Writer();
    const first = writer.begin('One');
    first.end();
    const second = writer.begin('Two');
    first.end();
    expect(writer.holder).toBe('Two');
    second.end();
  });
});
