import { beforeEach, describe, expect, test } from '@jest/globals';
import { editOf, type Edit, type Json } from '@judoka/core/document';
import { createRows, DeltaBuilder, weightOf, type Change, type WeightRows } from '@judoka/core/weights';
import {
  decodeRows,
  decodeWeights,
  documentHeader,
  editHeader,
  encodeWeights,
  laterEditsHeader,
  packFrame,
  unpackFrame,
  type DocumentHeader,
  type LogEntry,
} from '../index.ts';

/** Something that keeps a character's document: the real server, or the one that the page's tests simulate. */
export interface DocumentService {
  /** The id of a fresh character with at least two joints and fifty weighted points in its first part. */
  readonly character: string;
  readonly jointCount: number;
  fetch(path: string, init?: RequestInit): Promise<Response>;
}

export interface Opened extends DocumentHeader {
  readonly rows: readonly WeightRows[];
}

type Sent = Pick<LogEntry, 'label'> &
  Partial<Pick<LogEntry, 'kind' | 'target' | 'joints' | 'values'>> & {
    readonly weights?: Change | NonNullable<LogEntry['weights']>;
  };

/** Asks a document service as the page does. */
export class ServiceClient {
  readonly #service: DocumentService;

  constructor(service: DocumentService) {
    this.#service = service;
  }

  get path(): string {
    return `/api/characters/${this.#service.character}`;
  }

  async open(): Promise<Opened> {
    const { header, blobs } = unpackFrame(await this.bytes('/document'));
    return { ...documentHeader.parse(header), rows: decodeRows(blobs[0]) };
  }

  async bytes(path: string): Promise<Uint8Array> {
    const response = await this.#service.fetch(this.path + path);
    expect(response.status).toBe(200);
    return new Uint8Array(await response.arrayBuffer());
  }

  async put(path: string, bytes: Uint8Array): Promise<number> {
    const init = { method: 'PUT', headers: BINARY, body: new Uint8Array(bytes) };
    return (await this.#service.fetch(this.path + path, init)).status;
  }

  /** Sends edits; weights as blobs. */
  async send(base: number, ...edits: readonly (Sent & { readonly id: string })[]) {
    const blobs: Uint8Array[] = [];
    const entries = edits.map(({ weights, ...entry }) => ({
      kind: 'edit',
      ...entry,
      weights: isChange(weights) ? { blob: blobs.push(encodeWeights(weights)) - 1 } : weights,
    }));
    const response = await this.#service.fetch(`${this.path}/edits`, {
      method: 'POST',
      headers: BINARY,
      body: packFrame({ base, entries }, blobs),
    });
    return { status: response.status, json: (await response.json()) as Answer };
  }

  async later(after: number) {
    const { header, blobs } = unpackFrame(await this.bytes(`/edits?after=${after}`));
    return { ...laterEditsHeader.parse(header), blobs };
  }

  async content(edit: string): Promise<Edit> {
    const { header, blobs } = unpackFrame(await this.bytes(`/edits/${edit}`));
    const { joints, values } = editHeader.parse(header);
    return editOf({ joints, values, weights: blobs[0] ? decodeWeights(blobs[0]) : [] });
  }
}

const isChange = (weights: Sent['weights']): weights is Change => Array.isArray(weights);

const BINARY = { 'Content-Type': 'application/octet-stream' };

interface Answer {
  readonly head: number;
  readonly error: {
    readonly code: string;
    readonly message: string;
    readonly detail: Record<string, string>;
  };
}

/** The change that gives one point of the first part wholly to a joint. */
export function giveTo(rows: WeightRows, point: number, joint: number): Change {
  const after = createRows(1, rows.stride);
  after.joints[0] = joint;
  after.values[0] = 1;
  const builder = new DeltaBuilder(0, rows.stride, 1);
  builder.push(point, rows, point, after, 0);
  return [builder.finish()];
}

const uuid = (): string => globalThis.crypto.randomUUID();
const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
const setup = (id: string, name: string, parent = 0) => ({
  id,
  name,
  parent,
  offset: IDENTITY,
  translation: [0, 1, 0] as const,
  rotation: [0, 0, 0, 1] as const,
  scale: [1, 1, 1] as const,
});

/** What every document service does: run against the real one and the simulated one. */
export function describeDocumentService(name: string, start: () => Promise<DocumentService>): void {
  describe(`${name} as a document service`, () => {
    let service: DocumentService;
    let client: ServiceClient;
    let at: Opened;
    beforeEach(async () => {
      service = await start();
      client = new ServiceClient(service);
      at = await client.open();
    });
    const lock = (joint: number, on = true) => [
      { path: `locks/${joint}`, before: on ? null : true, after: on ? true : null },
    ];

    test('one edit changes weights, joints and values, and moves the head', async () => {
      const joint = service.jointCount;
      const id = uuid();
      const { json } = await client.send(0, {
        id,
        label: 'All of it',
        weights: giveTo(at.rows[0], 7, joint),
        joints: [{ joint, before: null, after: setup('tail-id', 'tail') }],
        values: lock(joint),
      });
      expect(json).toEqual({ head: 1 });
      const after = await client.open();
      expect(weightOf(after.rows[0], 7, joint)).toBe(1);
      expect(after.joints[joint]).toMatchObject({ id: 'tail-id', name: 'tail' });
      expect(after.values[`locks/${joint}`]).toBe(true);
      expect(after.done).toEqual([{ id, label: 'All of it' }]);
    });

    test('a repeat changes nothing', async () => {
      const edit = { id: uuid(), label: 'Once', weights: giveTo(at.rows[0], 7, 1) };
      await client.send(0, edit);
      expect((await client.send(0, edit)).json).toEqual({ head: 1 });
      expect((await client.open()).head).toBe(1);
    });

    test('an edit made on another head is told where the head is', async () => {
      await client.send(0, { id: uuid(), label: 'First', values: lock(1) });
      const { status, json } = await client.send(0, { id: uuid(), label: 'Second', values: lock(1) });
      expect(status).toBe(409);
      expect(json.error).toMatchObject({ code: 'edit-clash', detail: { head: 1 } });
    });

    test('an edit that touches nothing of what others did meanwhile is taken, and says that they are there', async () => {
      await client.send(0, { id: uuid(), label: 'First', weights: giveTo(at.rows[0], 7, 1) });
      const second = await client.send(0, { id: uuid(), label: 'Second', weights: giveTo(at.rows[0], 8, 1) });
      expect(second).toEqual({ status: 200, json: { head: 2, behind: true } });
      const third = await client.send(1, { id: uuid(), label: 'Third', weights: giveTo(at.rows[0], 8, 0) });
      expect([third.status, third.json.error.code]).toEqual([409, 'edit-clash']);
      const last = await client.send(2, { id: uuid(), label: 'Fourth', weights: giveTo(at.rows[0], 9, 1) });
      expect(last.json).toEqual({ head: 3 });
      const { rows, head } = await client.open();
      expect([head, ...[7, 8, 9].map((point) => weightOf(rows[0], point, 1))]).toEqual([3, 1, 1, 1]);
    });

    test('undo and redo do what their target says, the other way and again', async () => {
      const id = uuid();
      await client.send(0, { id, label: 'Give', weights: giveTo(at.rows[0], 7, 1), values: lock(1) });
      await client.send(1, { id: uuid(), kind: 'undo', label: 'Give', target: id });
      const back = await client.open();
      expect(back.rows).toEqual(at.rows);
      expect(back.values).toEqual(at.values);
      expect([back.done, back.undone]).toEqual([[], [{ id, label: 'Give' }]]);
      await client.send(2, { id: uuid(), kind: 'redo', label: 'Give', target: id });
      const again = await client.open();
      expect(weightOf(again.rows[0], 7, 1)).toBe(1);
      expect([again.done, again.undone]).toEqual([[{ id, label: 'Give' }], []]);
    });

    test('points that an edit adds are there with their weights, are painted, and go with it', async () => {
      const [{ rows }, from] = [at, at.rows[0].pointCount];
      const path = 'parts/0/outlines';
      const outlines = {
        from,
        points: from + 2,
        outlines: {},
        places: { [from]: [1, 2], [from + 1]: [1, 3] },
      };
      const roomy = { ...createRows(from + 2, rows[0].stride) };
      const add = {
        ...{ id: uuid(), label: 'Add points', values: [{ path, before: null, after: outlines }] },
        weights: giveTo(roomy, from + 1, 1),
      };
      const stroke = { id: uuid(), label: 'Stroke', weights: giveTo(roomy, from, 0) };
      const early = await client.send(0, stroke);
      expect(early.json.error.code).toBe('edit-refused');
      expect((await client.send(0, add)).json).toEqual({ head: 1 });
      expect((await client.send(1, stroke)).json).toEqual({ head: 2 });
      const grown = await client.open();
      expect(grown.rows[0].pointCount).toBe(from + 2);
      expect([weightOf(grown.rows[0], from, 0), weightOf(grown.rows[0], from + 1, 1)]).toEqual([1, 1]);
      const line = (kind: 'undo' | 'redo', { id, label }: typeof stroke) => ({
        id: uuid(),
        kind,
        label,
        target: id,
      });
      await client.send(2, line('undo', stroke), line('undo', add));
      const back = await client.open();
      expect([back.rows, back.values]).toEqual([at.rows, at.values]);
      await client.send(4, line('redo', add), line('redo', stroke));
      const again = await client.open();
      expect([again.rows, again.values]).toEqual([grown.rows, grown.values]);
      const wrong = [{ path, before: outlines, after: { ...outlines, points: from + 60_000 } }];
      expect((await client.send(6, { id: uuid(), label: 'Too many', values: wrong })).status).toBe(422);
      const other = [{ path: 'parts/1/outlines', before: null, after: { ...outlines, from: 1, points: 1 } }];
      const { json } = await client.send(6, { id: uuid(), label: 'Another', values: other });
      expect(json.error.message).toMatch(/other outlines/);
      expect((await client.open()).head).toBe(6);
    });

    test('a mesh that differs, points moved at rest and ribbons are kept; what is malformed is refused', async () => {
      const from = at.rows[0].pointCount;
      const path = 'parts/0/mesh';
      const mesh = {
        ...{ from, points: from + 1, removed: [0], faces: [0, 1, from] },
        vertices: [[0, 1, 0.25, from]],
      };
      const line = (where: string, after: Json) => [{ path: where, before: null, after }];
      const put = (values: ReturnType<typeof line>, head: number) =>
        client.send(head, { id: uuid(), label: 'Mesh', values });
      const wrong: Json[] = [
        { ...mesh, vertices: [[0, 1, 1.5, from]] },
        { ...mesh, points: from + 200_000 },
        { ...mesh, points: from - 1 },
        { ...mesh, faces: [0, -1, 2] },
        { ...mesh, more: 1 },
      ];
      for (const each of wrong) expect((await put(line(path, each), 0)).status).toBe(422);
      const elsewhere = await put(line('parts/1/mesh', { ...mesh, from: 1, points: 2 }), 0);
      expect(elsewhere.json.error.message).toMatch(/another mesh/);

      const roomy = createRows(from + 1, at.rows[0].stride);
      const add = {
        ...{ id: uuid(), label: 'A point on an edge', values: line(path, mesh) },
        weights: giveTo(roomy, from, 1),
      };
      expect((await client.send(0, add)).json).toEqual({ head: 1 });
      const grown = await client.open();
      expect(grown.rows[0].pointCount).toBe(from + 1);
      expect(grown.values[path]).toEqual(mesh);
      await client.send(1, { id: uuid(), kind: 'undo', label: add.label, target: add.id });
      expect((await client.open()).rows).toEqual(at.rows);

      expect((await put(line('moved/0/0', 'not base64!'), 2)).status).toBe(422);
      expect((await put(line('moved/0/0', 'A'.repeat(9000)), 2)).status).toBe(422);
      expect((await put(line('moved/0/0', 'AAAAAAAAAAAAAIA/'), 2)).json).toEqual({ head: 3 });
      const ribbon = {
        ...{ name: 'tail', part: 0, joints: [0], controls: 4, width: 1, fall: 0.5, savedAt: 1 },
        ...{ isStartHeld: true, isEndHeld: false, sharesTwist: true, keepsVolume: false },
      };
      const where = `ribbons/${uuid()}`;
      const lone = await put(line(where, ribbon), 3);
      expect(lone.json.error.message).toMatch(/two joints or more/);
      const own = await put(line(where, { ...ribbon, joints: [0, 1], ownJoints: [2] }), 3);
      expect(own.json.error.message).toMatch(/two joints of its own or more/);
      const whole = { ...ribbon, joints: [0, 1], ownJoints: [2, 3] };
      expect((await put(line(where, whole), 3)).json).toEqual({ head: 4 });
    });

    test('a cage is a part behind the others, is painted, and goes again; what is none is refused', async () => {
      const number = at.rows.length;
      const path = `parts/${number}/cage`;
      // A tetrahedron of degenerate quads: four points, so many bytes of noughts.
      const cage = { like: 0, points: 4, places: 'A'.repeat(64), quads: 'AAABAAIAAAA=' };
      const put = (where: string, after: Json, head: number) =>
        client.send(head, {
          id: uuid(),
          label: 'Make a cage',
          values: [{ path: where, before: null, after }],
        });
      const wrong: Json[] = [
        { ...cage, points: 5000 },
        { ...cage, points: 3 },
        { ...cage, like: -1 },
        { ...cage, places: 'not base64!' },
        { ...cage, quads: 'A'.repeat(30_000) },
        { ...cage, more: 1 },
      ];
      for (const each of wrong) expect((await put(path, each, 0)).status).toBe(422);
      for (const where of ['parts/0/cage', `parts/${number + 1000}/cage`])
        expect((await put(where, cage, 0)).json.error.code).toBe('edit-refused');
      const weights = giveTo(createRows(4), 3, 1).map((delta) => ({ ...delta, part: number }));
      const add = {
        ...{ id: uuid(), label: 'Make a cage', values: [{ path, before: null, after: cage }] },
        weights,
      };
      expect((await client.send(0, add)).json).toEqual({ head: 1 });
      const grown = await client.open();
      expect(grown.rows.map(({ pointCount }) => pointCount)).toEqual([
        ...at.rows.map(({ pointCount }) => pointCount),
        4,
      ]);
      expect(weightOf(grown.rows[number], 3, 1)).toBe(1);
      await client.send(1, { id: uuid(), kind: 'undo', label: add.label, target: add.id });
      const back = await client.open();
      expect([back.rows, back.values]).toEqual([at.rows, at.values]);
      await client.send(2, { id: uuid(), kind: 'redo', label: add.label, target: add.id });
      expect((await client.open()).rows).toEqual(grown.rows);
    });

    test('a long way back and forth stays in step', async () => {
      const ids = [uuid(), uuid(), uuid()];
      for (const [i, id] of ids.entries()) await client.send(i, { id, label: `${i}`, values: lock(i) });
      const line = (kind: 'undo' | 'redo', i: number) => ({
        id: uuid(),
        kind,
        label: `${i}`,
        target: ids[i],
      });
      await client.send(3, line('undo', 2), line('undo', 1));
      await client.send(5, line('redo', 1));
      await client.send(6, line('undo', 1));
      const { done, undone, values } = await client.open();
      expect(done.map(({ id }) => id)).toEqual([ids[0]]);
      expect(undone.map(({ id }) => id)).toEqual([ids[1], ids[2]]);
      expect(Object.keys(values).filter((path) => path.startsWith('locks/'))).toEqual(['locks/0']);
      const { status } = await client.send(7, line('redo', 2));
      expect(status).toBe(422);
    });

    test('what does not fit is refused by name, and nothing of the batch is kept', async () => {
      const joint = service.jointCount;
      const [good, id] = [uuid(), uuid()];
      const refused = async (edit: Sent, message: RegExp): Promise<void> => {
        const { status, json } = await client.send(
          0,
          { id: good, label: 'Good', values: lock(1) },
          { id, ...edit },
        );
        expect(json.error).toMatchObject({ code: 'edit-refused', detail: { edit: id } });
        expect(json.error.message).toMatch(message);
        expect(status).toBe(422);
      };
      const other = createRows(at.rows[0].pointCount, at.rows[0].stride);
      await refused({ label: 'Other weights', weights: giveTo(other, 7, 1) }, /other weights/);
      await refused({ label: 'No joint', weights: giveTo(at.rows[0], 7, joint) }, /name joint/);
      await refused(
        { label: 'On itself', joints: [{ joint, before: null, after: setup('x', 'x', joint) }] },
        /hang/,
      );
      await refused(
        { label: 'Far off', joints: [{ joint: 4000, before: null, after: setup('x', 'x') }] },
        /There is no joint 4000/,
      );
      await refused({ label: 'No path', values: [{ path: 'nowhere/1', before: null, after: 1 }] }, /nowhere/);
      await refused(
        { label: 'No lock', values: [{ path: 'locks/1', before: null, after: 'yes' }] },
        /locks\/1/,
      );
      await refused({ label: 'Not held', values: lock(0, false) }, /other settings/);
      await refused({ label: 'No turn', kind: 'undo', target: uuid() }, /not the turn/);
      expect((await client.open()).head).toBe(0);
    });

    test('large weights come in pieces that count as one edit', async () => {
      const id = uuid();
      const bytes = encodeWeights(giveTo(at.rows[0], 7, 1));
      const half = bytes.length >> 1;
      expect(await client.put(`/edits/${id}/pieces/0`, bytes.subarray(0, half))).toBe(204);
      const missing = await client.send(0, { id, label: 'Large', weights: { pieces: 2 } });
      expect(missing.json.error.message).toMatch(/piece of it is missing/);
      expect(await client.put(`/edits/${id}/pieces/1`, bytes.subarray(half))).toBe(204);
      expect((await client.send(0, { id, label: 'Large', weights: { pieces: 2 } })).json.head).toBe(1);
      expect(weightOf((await client.open()).rows[0], 7, 1)).toBe(1);
      expect((await client.content(id)).weights).toEqual(decodeWeights(bytes));
    });

    test('what is saved under a name must have come before', async () => {
      const [attachment, item] = [uuid(), uuid()];
      const edit = {
        id: uuid(),
        label: 'Save selection',
        values: [
          { path: `selections/${item}`, before: null, after: { name: 'knee', attachment, savedAt: 5 } },
        ],
      };
      expect((await client.send(0, edit)).json.error.message).toMatch(/did not come with it/);
      expect(await client.put(`/attachments/${attachment}`, Uint8Array.of(1, 2, 3))).toBe(204);
      expect((await client.send(0, edit)).json.head).toBe(1);
      expect([...(await client.bytes(`/attachments/${attachment}`))]).toEqual([1, 2, 3]);
    });

    test('a reader gets later edits in order, each with what it did', async () => {
      const id = uuid();
      await client.send(0, { id, label: 'Give', weights: giveTo(at.rows[0], 7, 1) });
      await client.send(1, { id: uuid(), kind: 'undo', label: 'Give', target: id });
      await client.send(2, { id: uuid(), label: 'Lock', values: lock(1) });
      const later = await client.later(1);
      expect(later).toMatchObject({ head: 3, more: false });
      expect(later.entries.map(({ kind, label }) => `${kind} ${label}`)).toEqual(['undo Give', 'edit Lock']);
      expect(later.entries[1].values).toEqual(lock(1));
      expect(later.blobs).toHaveLength(1);
      expect((await client.later(3)).entries).toEqual([]);
    });

    test('a label that is too long is shortened, and one with half a letter refused', async () => {
      const { status } = await client.send(0, { id: uuid(), label: 'x'.repeat(500), values: lock(1) });
      expect(status).toBe(200);
      expect(Array.from((await client.open()).done[0].label)).toHaveLength(200);
      const bad = await client.send(1, { id: uuid(), label: 'a\uD800', values: lock(0) });
      expect(bad.json.error.message).toMatch(/cannot be stored/);
    });
  });
}
