import {
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { spawn } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { beganAt, isAlive, until } from './processes.mjs';
import { rotatingLog } from './rotatingLog.mjs';
import {
  DEFAULT_SCHEDULE,
  listBackups,
  nameFor,
  prune,
  readSchedule,
  tooMany,
  untilDue,
} from './schedule.mjs';
import { CANNOT_GO_ON, pauseAfter, supervise } from './supervise.mjs';

const folder = mkdtempSync(join(tmpdir(), 'judoka-lib-'));
afterAll(() => {
  rmSync(folder, { recursive: true });
});

describe('the log', () => {
  test('keeps the last files of bounded size, the newest line last', () => {
    const log = rotatingLog(join(folder, 'logs/a.log'), { maxBytes: 100, kept: 2 });
    for (let line = 0; line < 50; line++) log(`line ${String(line).padStart(4, '0')}\n`);
    expect(readdirSync(join(folder, 'logs')).sort()).toEqual(['a.log', 'a.log.1', 'a.log.2']);
    const all = ['a.log.2', 'a.log.1', 'a.log'].map((name) =>
      readFileSync(join(folder, 'logs', name), 'utf8'),
    );
    for (const text of all) expect(text.length).toBeLessThanOrEqual(100);
    const lines = all.join('').trim().split('\n');
    expect(lines.at(-1)).toBe('line 0049');
    expect(lines).toEqual([...lines].sort());
  });

  test('goes on in the file that is there', () => {
    rotatingLog(join(folder, 'b.log'))('first\n');
    rotatingLog(join(folder, 'b.log'))('second\n');
    expect(readFileSync(join(folder, 'b.log'), 'utf8')).toBe('first\nsecond\n');
  });

  test('a place that cannot be written to stops nobody', () => {
    const log = rotatingLog(join(folder, 'c/c.log'));
    rmSync(join(folder, 'c'), { recursive: true });
    expect(() => {
      log('lost\n');
    }).not.toThrow();
  });
});

describe('the schedule of backups', () => {
  const hour = 3_600_000;
  const schedule = { everyMs: 24 * hour, keep: 3, forMs: 10 * 24 * hour };
  const aged = (...hours: number[]) => hours.map((h) => ({ file: `${h}`, madeAt: -h * hour }));

  test('is read from one setting', () => {
    expect(readSchedule('every 24h keep 3 for 10d')).toEqual(schedule);
    expect(readSchedule('off')).toBeUndefined();
    expect(readSchedule(DEFAULT_SCHEDULE)).toMatchObject({ keep: 7 });
    for (const wrong of [
      '',
      'daily',
      'every 0h keep 3 for 1d',
      'every 1h keep 0 for 1d',
      'every 1h keep 3 for 1y',
    ])
      expect(() => readSchedule(wrong)).toThrow(/should be like “every 24h keep 7 for 30d”, or “off”/);
  });

  test('is due a while after the newest, at once where there is none', () => {
    expect(untilDue([], schedule, 0)).toBe(0);
    expect(untilDue(aged(1, 30), schedule, 0)).toBe(23 * hour);
    expect(untilDue(aged(25), schedule, 0)).toBe(0);
  });

  test('keeps so many, none too old, and the newest always', () => {
    const gone = (...hours: number[]) => tooMany(aged(...hours), schedule, 0).map(({ file }) => Number(file));
    expect(gone(1, 25, 49, 73, 97)).toEqual([73, 97]);
    expect(gone(1, 25, 241)).toEqual([241]);
    expect(gone(900)).toEqual([]);
  });

  test('removes what need not be kept, and nothing else', () => {
    const backups = join(folder, 'backups');
    mkdirSync(backups);
    const names = [1, 2, 3, 4].map((day) => nameFor(new Date(Date.UTC(2026, 0, day))));
    const before = [1, 2, 3, 4].map((day) => nameFor(new Date(Date.UTC(2026, 0, day)), 'before-0007_place'));
    for (const name of [...names, ...before, 'mine.tar']) {
      writeFileSync(join(backups, name), '');
      const day = Number(/-0(\d)T/.exec(name)?.[1] ?? 1);
      utimesSync(join(backups, name), day * 1000, day * 1000);
    }
    expect(listBackups(backups).map(({ file }) => file)).toEqual(
      [...names].reverse().map((name) => join(backups, name)),
    );
    expect(prune(backups, { ...schedule, keep: 2, forMs: 1e15 }, 0)).toBe(3);
    expect(readdirSync(backups).sort()).toEqual([...before.slice(1), ...names.slice(2), 'mine.tar'].sort());
  });
});

describe('processes', () => {
  test('are told from others of the same number by when they began', async () => {
    expect(beganAt(process.pid)).toMatch(/^\d+$/);
    const child = spawn('sleep', ['60']);
    const began = beganAt(child.pid);
    expect(Number(began)).toBeGreaterThanOrEqual(Number(beganAt(process.pid)));
    child.kill();
    expect(await until(() => !isAlive(child.pid), 5000)).toBe(true);
    expect(beganAt(2 ** 30)).toBe('');
  });
});

describe('what is kept running', () => {
  test('waits longer after each death, up to half a minute', () => {
    expect([1, 2, 3, 4, 7, 50].map(pauseAfter)).toEqual([500, 1000, 2000, 4000, 30_000, 30_000]);
  });

  const keep = (
    command: string,
    log: (line: string) => void = () => undefined,
  ): ReturnType<typeof supervise> =>
    supervise({
      name: 'test',
      log,
      start: (tell) => {
        const child = spawn('sh', ['-c', command]);
        tell(child);
        return Promise.resolve(child);
      },
    });

  test('is started again, and ends when it is told to', async () => {
    const said: string[] = [];
    const keeper = keep('exit 3', (line) => said.push(line));
    await keeper.ready;
    expect(await until(() => said.length >= 2, 10_000)).toBe(true);
    expect(said[0]).toBe('The test ended (code 3). It is started again in 0.5 s.');
    expect(said[1]).toMatch(/in 1 s/);
    await keeper.stop('SIGTERM');
    const count = said.length;
    expect(said).toHaveLength(count);
  });

  test('says when it cannot go on', async () => {
    const keeper = keep(`exit ${CANNOT_GO_ON}`);
    await keeper.ready;
    expect((await keeper.failed).message).toMatch(/code 78/);
  });

  test('that never came up is given up at once', async () => {
    const keeper = supervise({
      name: 'test',
      log: () => undefined,
      start: () => Promise.reject(new Error('There is no such program.')),
    });
    await expect(keeper.ready).rejects.toThrow('no such program');
  });

  test('that is stopped ends by the signal', async () => {
    const keeper = keep('exec sleep 60');
    await keeper.ready;
    await keeper.stop('SIGTERM');
    await expect(Promise.race([keeper.failed, Promise.resolve('quiet')])).resolves.toBe('quiet');
  });
});
