// npm run bench -- painters: many people who paint on one character at once; how long saving a stroke takes.
import { randomUUID } from 'node:crypto';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { setTimeout as pause } from 'node:timers/promises';
import {
  decodeRows,
  documentHeader,
  encodeWeights,
  laterEditsHeader,
  packFrame,
  unpackFrame,
} from '@judoka/contract';
import { createRows, DeltaBuilder, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { comeIn, startServer, type Ask } from './place.ts';

const BINARY = { 'Content-Type': 'application/octet-stream' };
/** Points of a stroke. */
const STROKE_POINTS = 120;
/** Somebody who paints pauses between strokes. */
const PAUSE_MS = 1000;

/** A stroke that gives points of one's own to a joint. */
function stroke(rows: WeightRows, points: readonly number[], held: Map<number, number>, joint: number) {
  const builder = new DeltaBuilder(0, rows.stride, points.length);
  const [before, after] = [createRows(1, rows.stride), createRows(1, rows.stride)];
  after.values[0] = before.values[0] = 1;
  after.joints[0] = joint;
  for (const point of points) {
    const own = held.get(point);
    before.joints[0] = own ?? 0;
    if (own === undefined) builder.push(point, rows, point, after, 0);
    else builder.push(point, before, 0, after, 0);
    held.set(point, joint);
  }
  return [builder.finish()];
}

interface Crowd {
  readonly ask: Ask;
  readonly character: string;
  readonly people: number;
  readonly strokes: number;
}

/** @returns how long each stroke took to be saved, in milliseconds, and how many were saved */
async function paintTogether({ ask, character, people, strokes }: Crowd): Promise<number[]> {
  const path = `/api/characters/${character}`;
  const { header, blobs } = unpackFrame(new Uint8Array(await (await ask(`${path}/document`)).arrayBuffer()));
  const [rows] = decodeRows(blobs[0]);
  const began = documentHeader.parse(header).head;
  const times: number[] = [];
  const paint = async (person: number): Promise<void> => {
    const held = new Map<number, number>();
    let head = began;
    await pause((person / people) * PAUSE_MS);
    for (let n = 0; n < strokes; n++) {
      const points = Array.from({ length: STROKE_POINTS }, (_, i) => (n % 3) * STROKE_POINTS + i)
        .map((i) => i * people + person)
        .filter((point) => point < rows.pointCount);
      const blob = encodeWeights(stroke(rows, points, held, 1 + ((n + person) % 9)));
      const id = randomUUID();
      const from = performance.now();
      for (;;) {
        const body = packFrame(
          { base: head, entries: [{ id, kind: 'edit', label: 'Add', weights: { blob: 0 } }] },
          [blob],
        );
        const response = await ask(`${path}/edits`, { method: 'POST', headers: BINARY, body });
        const answer = (await response.json()) as { head: number; error?: { code: string; message: string } };
        if (response.ok) {
          head = answer.head;
          break;
        }
        if (answer.error?.code !== 'edit-clash') throw new Error(answer.error?.message);
        const later = await ask(`${path}/edits?after=${head}`);
        head = laterEditsHeader.parse(unpackFrame(new Uint8Array(await later.arrayBuffer())).header).head;
      }
      times.push(performance.now() - from);
      await pause(PAUSE_MS * (0.5 + Math.random()));
    }
  };
  await Promise.all(Array.from({ length: people }, (_, person) => paint(person)));
  return times;
}

const share = (times: readonly number[], part: number): string =>
  `${Math.round([...times].sort((a, b) => a - b)[Math.floor(times.length * part)] ?? 0)} ms`;

const databaseUrl = process.env.DATABASE_URL ?? '';
const { address, end } = await startServer(databaseUrl);
const ask = await comeIn(address, databaseUrl);
for (const [size, people, strokes] of [
  ['small', 50, 20],
  ['large', 25, 20],
] as const) {
  const source = (await makeFerryKeeper({ size, faults: true })) as Uint8Array<ArrayBuffer>;
  const came = performance.now();
  const response = await ask(`/api/characters?name=${size}`, {
    method: 'POST',
    headers: BINARY,
    body: source,
  });
  const { id, points } = (await response.json()) as { id: string; points: number };
  console.log(`\n${points.toLocaleString('en')} points, in after ${Math.round(performance.now() - came)} ms`);
  const delay = monitorEventLoopDelay({ resolution: 5 });
  delay.enable();
  const times = await paintTogether({ ask, character: id, people, strokes });
  const { head } = documentHeader.parse(
    unpackFrame(new Uint8Array(await (await ask(`/api/characters/${id}/document`)).arrayBuffer())).header,
  );
  console.log(`${people} painters, ${times.length} strokes saved, ${head} in the log`);
  console.log(
    `saving: half ${share(times, 0.5)}, 95% ${share(times, 0.95)}, 99% ${share(times, 0.99)}, longest ${share(times, 0.9999)}`,
  );
  const figures = await (await fetch(`${address}/metrics`)).text();
  console.log(
    figures
      .split('\n')
      .filter((line) => /main_thread_delay|resident/.test(line))
      .join('\n'),
  );
}
await end();
