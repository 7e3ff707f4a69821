import { describe, expect, test } from '@jest/globals';
import { borrowMemory } from './memoryPool.ts';

describe('kernels are lent', () => {
  test('memory that was used before begins as zero', async () => {
    const first = await borrowMemory(1 << 16);
    first.memory.u8(1 << 15).fill(7);
    const { buffer } = first.memory.u8(1);
    first.giveBack();
    const second = await borrowMemory(1 << 16);
    const again = second.memory.u8(1 << 15);
    expect(again.buffer).toBe(buffer);
    expect(again.every((byte) => byte === 0)).toBe(true);
    second.giveBack();
  });

  test('two loans at a time have memory of their own, and giving back twice does no harm', async () => {
    const [a, b] = [await borrowMemory(1 << 16), await borrowMemory(1 << 16)];
    expect(a.memory.u8(1).buffer).not.toBe(b.memory.u8(1).buffer);
    a.giveBack();
    a.giveBack();
    const [c, d] = [await borrowMemory(1 << 16), await borrowMemory(1 << 16)];
    expect(c.memory.u8(1).buffer).not.toBe(d.memory.u8(1).buffer);
    for (const loan of [b, c, d]) loan.giveBack();
  });

  test('a loan is as large as was asked for', async () => {
    const small = await borrowMemory(1 << 16);
    small.giveBack();
    const large = await borrowMemory(1 << 23);
    expect(large.memory.u8(1 << 23).length).toBe(1 << 23);
    large.giveBack();
  });
});
