import { randomUUID } from 'node:crypto';
import { spawn, execFileSync, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { afterAll, beforeAll, expect, jest, test } from '@jest/globals';
import { giveTo } from '../contract/src/testing/documentService.ts';
import type { WeightRows } from '@judoka/core/weights';
import { ROOT } from './lib/run.mjs';
import { freeNumber, makeFolder, removePlace, Start } from './testing/startedPlace.ts';
import { bringIn, painterOf, shelfOf, signIn } from './testing/work.ts';

// Kills processes at random while people paint: what was called saved is there, once, in order. `npm run soak` does it for
// long; this short form belongs to the tests.

const STROKES = Number(process.env.SOAK_STROKES ?? 90);
const KILLS = Number(process.env.SOAK_KILLS ?? 10);
const PAINTERS = 3;
jest.setTimeout(120_000 + STROKES * 2_000);

let data: string;
let port: number;
let place: Start;
let worker: ChildProcess | undefined;
let isOver = false;

beforeAll(async () => {
  data = makeFolder();
  port = await freeNumber();
  place = new Start(data, { port });
});
afterAll(async () => {
  isOver = true;
  worker?.kill('SIGTERM');
  await place.end();
  removePlace(data);
});

/** Whoever was started by the start: the server, the database, the guard of the place. */
const children = (pid: number): number[] => {
  try {
    return execFileSync('ps', ['-o', 'pid=', '--ppid', String(pid)], { encoding: 'utf8' })
      .split('\n')
      .map(Number)
      .filter((each) => each > 0);
  } catch {
    return [];
  }
};

/** Kills one of the place's processes, or the start itself, which is then started again. */
async function killOne(random: () => number): Promise<string> {
  const pid = place.child.pid ?? 0;
  const all = [pid, ...children(pid), ...(worker?.pid === undefined ? [] : [worker.pid])];
  const chosen = all[Math.floor(random() * all.length)];
  if (chosen === worker?.pid) {
    worker.kill('SIGKILL');
    startWorker();
    return 'worker';
  }
  if (chosen !== pid) {
    try {
      process.kill(chosen, 'SIGKILL');
    } catch {
      // It is just being started again.
    }
    return 'child';
  }
  await place.end('SIGKILL');
  place = new Start(data, { port });
  return 'start';
}

function startWorker(): void {
  if (isOver) return;
  worker = spawn(process.execPath, [join(ROOT, 'scripts/worker.mjs')], {
    stdio: 'ignore',
    env: { PATH: process.env.PATH, JUDOKA_DATA: data },
  });
}

/** Numbers from 0 to 1, the same each time. */
function randomFrom(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

/** Does something until it succeeds: what a page does while the server is away. */
async function untilDone<T>(work: () => Promise<T | undefined>): Promise<T> {
  for (;;) {
    const done = await work().catch(() => undefined);
    if (done !== undefined) return done;
    await pause(30);
  }
}

test(`${KILLS} kills in ${STROKES} strokes lose nothing and double nothing`, async () => {
  const ask = await signIn(await place.address(), data);
  const first = await bringIn(ask, 'Soaked');
  const [{ id: character }] = await shelfOf(ask);
  const { rows } = await first.service.open();
  startWorker();
  const saved: string[] = [];
  let next = 0;

  const paint = async (): Promise<void> => {
    const { service } = await painterOf(ask, character);
    const look = async (): Promise<number> => untilDone(async () => (await service.open()).head);
    let head = await look();
    while (next < STROKES) {
      const point = next++;
      const edit = {
        id: randomUUID(),
        label: `Stroke ${point}`,
        weights: giveTo(rows[0], point, 1 + (point % 9)),
      };
      // Sent with the same id until it is confirmed, as the page's queue does.
      await untilDone(async () => {
        const { status, json } = await service.send(head, edit);
        if (status === 200) {
          head = json.head;
          saved.push(edit.id);
          return true;
        }
        if (json.error.code === 'edit-clash') head = await look();
        else if (json.error.code === 'edit-refused') throw new Error(json.error.message);
        return undefined;
      });
    }
  };
  const random = randomFrom(STROKES * 1000 + KILLS);
  const killed = new Map<string, number>();
  const kill = async (): Promise<void> => {
    for (let count = 1; count <= KILLS; count++) {
      const due = Math.floor((count * STROKES) / (KILLS + 1));
      while (saved.length < due) await pause(10);
      const what = await killOne(random);
      killed.set(what, (killed.get(what) ?? 0) + 1);
    }
  };
  const imports = async (): Promise<string[]> => {
    const names = Array.from({ length: 3 }, (_, n) => `Beside ${n}`);
    for (const name of names) {
      const id = randomUUID();
      await untilDone(async () => (await bringIn(ask, name, id), name));
    }
    return names;
  };
  const [, names] = await Promise.all([kill(), imports(), ...Array.from({ length: PAINTERS }, paint)]);

  await untilDone(async () => (await shelfOf(ask)).length);
  const stored: string[] = [];
  const { service } = await painterOf(ask, character);
  for (let after = 0, more = true; more;) {
    const page = await untilDone(() => service.later(after));
    stored.push(...page.entries.map(({ id }) => id));
    ({ head: after, more } = page);
  }
  expect([...killed.values()].reduce((a, b) => a + b, 0)).toBe(KILLS);
  expect(saved).toHaveLength(STROKES);
  expect(new Set(stored).size).toBe(stored.length);
  expect([...stored].sort()).toEqual([...saved].sort());
  const now = await untilDone(async () => (await service.open()).rows[0]);
  for (let point = 0; point < STROKES; point++) expect(strongest(now, point)).toBe(1 + (point % 9));
  const there = (await untilDone(() => shelfOf(ask))).map(({ name }) => name);
  expect(there.filter((name) => name !== 'Soaked').sort()).toEqual(names);
  console.log(`Killed: ${[...killed].map(([what, count]) => `${what} ${count}`).join(', ')}.`);
});

const strongest = ({ joints, values, stride }: WeightRows, point: number): number =>
  values[point * stride] === 1 ? joints[point * stride] : -1;
