// npm run bench -- history: what ten thousand edits cost when a character is opened, and how soon the past is there.
import { randomUUID } from 'node:crypto';
import { decodeRows, encodeWeights, packFrame, unpackFrame } from '@judoka/contract';
import { createRows, DeltaBuilder, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import pg from 'pg';
import { comeIn, startServer, type Ask } from './place.ts';
import { compare, report } from './measure.ts';

const BINARY = { 'Content-Type': 'application/octet-stream' };
const EDITS = 10_000;
const A_REQUEST = 100;
/** Points of a stroke. */
const STROKE_POINTS = 400;

async function takeIn(ask: Ask, name: string, source: Uint8Array<ArrayBuffer>): Promise<string> {
  const response = await ask(`/api/characters?name=${name}`, {
    method: 'POST',
    headers: BINARY,
    body: source,
  });
  return ((await response.json()) as { id: string }).id;
}

/** A stroke of smooth weights over neighbouring points: what each has goes some way to one joint. */
function stroke(rows: WeightRows, n: number): { bytes: Uint8Array; apply: () => void } {
  const first = (n * 7919) % (rows.pointCount - STROKE_POINTS);
  const builder = new DeltaBuilder(0, rows.stride, STROKE_POINTS);
  const after = createRows(STROKE_POINTS, rows.stride);
  const joint = n % 50;
  for (let i = 0; i < STROKE_POINTS; i++) {
    const p = first + i;
    const share = 0.2 * Math.sin((Math.PI * i) / STROKE_POINTS) + 0.01;
    const held = new Map<number, number>([[joint, share]]);
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++)
      held.set(rows.joints[k], (held.get(rows.joints[k]) ?? 0) + rows.values[k] * (1 - share));
    const kept = [...held].sort((a, b) => b[1] - a[1]).slice(0, 4);
    const sum = kept.reduce((total, [, value]) => total + value, 0);
    kept.forEach(([own, value], k) => {
      after.joints[i * rows.stride + k] = own;
      after.values[i * rows.stride + k] = value / sum;
    });
    builder.push(p, rows, p, after, i);
  }
  const delta = builder.finish();
  return {
    bytes: encodeWeights([delta]),
    apply: () =>
      delta.points.forEach((p, i) => {
        const [from, to] = [i * rows.stride, p * rows.stride];
        rows.joints.set(delta.after.joints.subarray(from, from + rows.stride), to);
        rows.values.set(delta.after.values.subarray(from, from + rows.stride), to);
      }),
  };
}

/** @returns bytes of all edits as they crossed the wire */
async function paint(ask: Ask, id: string): Promise<number> {
  const { blobs } = unpackFrame(
    new Uint8Array(await (await ask(`/api/characters/${id}/document`)).arrayBuffer()),
  );
  const [rows] = decodeRows(blobs[0]);
  let bytes = 0;
  for (let base = 0; base < EDITS; base += A_REQUEST) {
    const weights: Uint8Array[] = [];
    const entries = Array.from({ length: A_REQUEST }, (_, i) => {
      const one = stroke(rows, base + i);
      one.apply();
      bytes += one.bytes.length;
      return {
        id: randomUUID(),
        kind: 'edit',
        label: `Add, joint ${base + i}`,
        weights: { blob: weights.push(one.bytes) - 1 },
      };
    });
    const body = packFrame({ base, entries }, weights);
    const response = await ask(`/api/characters/${id}/edits`, { method: 'POST', headers: BINARY, body });
    if (!response.ok) throw new Error(await response.text());
  }
  return bytes;
}

const databaseUrl = process.env.DATABASE_URL ?? '';
const { address, end } = await startServer(databaseUrl);
const ask = await comeIn(address, databaseUrl);
const source = (await makeFerryKeeper({ size: 'large', faults: true })) as Uint8Array<ArrayBuffer>;
const worked = await takeIn(ask, 'worked', source);
const raw = await paint(ask, worked);
// The same weights, without a past.
const exported = await (await ask(`/api/characters/${worked}/export.glb`)).arrayBuffer();
const fresh = await takeIn(ask, 'fresh', new Uint8Array(exported));
const get = (path: string) => async (): Promise<void> => {
  await (await ask(path)).arrayBuffer();
};
const opening = await compare(
  get(`/api/characters/${worked}/document`),
  get(`/api/characters/${fresh}/document`),
  {
    runs: 15,
    warm: 3,
  },
);
report(`opening with ${EDITS} edits against none`, opening.ratio, '×', { most: 1.1 });
const page = await compare(get(`/api/characters/${worked}/log?limit=60`), () => undefined, {
  runs: 11,
  warm: 2,
});
report('first page of the history', page.ms / 1000, 's', { most: 0.2 });
for (const seq of [0, 33, 4_999, 9_940]) {
  const moment = await compare(get(`/api/characters/${worked}/moments/${seq}`), () => undefined, {
    runs: 5,
    warm: 1,
  });
  report(`moment ${seq}, as bytes`, moment.ms / 1000, 's', { most: 1 });
}
const database = new pg.Client({ connectionString: databaseUrl });
await database.connect();
const { rows } = await database.query<{ log: string; checkpoints: string; count: string }>(
  `select (select sum(pg_column_size(delta)) from edits where character_id = $1) as log,
          (select sum(pg_column_size(weights)) from checkpoints where character_id = $1) as checkpoints,
          (select count(*) from checkpoints where character_id = $1) as count`,
  [worked],
);
await database.end();
report('the log on disk against its raw bytes', Number(rows[0].log) / raw, '×', { most: 0.5 });
report('  raw', raw / 2 ** 20, 'MB');
report(`  ${rows[0].count} checkpoints`, Number(rows[0].checkpoints) / 2 ** 20, 'MB');
await end();
