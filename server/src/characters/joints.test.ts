import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { encodeChange, weightsHeader } from '@judoka/contract';
import {
  addJoint,
  type JointSetups,
  moveJoints,
  renameJoint,
  restWorld,
  type SkeletonChange,
} from '@judoka/core/skeleton';
import { openGlb, readCharacter } from '@judoka/core/formats';
import type { Character } from '@judoka/core/document';
import { makeFerryKeeper } from '@judoka/demo';
import { startTestServer, type Answer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let source: Uint8Array;
let base: Character;

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  source = await makeFerryKeeper({ size: 'small', faults: true });
  base = await readCharacter(openGlb(source));
});
afterAll(() => server.close());

async function freshCharacter(): Promise<string> {
  return (await client.post('/api/characters?name=joints', source)).json.id as string;
}

const EMPTY = encodeChange([]);

function send(
  id: string,
  from: number,
  label: string,
  joints: SkeletonChange,
  edit = randomUUID(),
): Promise<Answer> {
  const entries = [{ id: edit, kind: 'edit', label, joints }];
  return client.postFrame(`/api/characters/${id}/edits`, { base: from, entries }, [EMPTY]);
}

async function setups(id: string): Promise<JointSetups> {
  const { header } = await client.frame(`/api/characters/${id}/weights`);
  return weightsHeader.parse(header).joints;
}

const jointsOnShelf = async (id: string): Promise<number> =>
  (await client.get('/api/characters')).json.characters.find((card: { id: string }) => card.id === id).joints;

describe('joints', () => {
  test('a change is kept, comes back with the weights, is undone, and is exported', async () => {
    const id = await freshCharacter();
    const edit = randomUUID();
    const renamed = renameJoint(base.skeleton, 3, 'Mast “2”');
    expect((await send(id, 0, 'Rename', renamed, edit)).status).toBe(200);
    expect(await setups(id)).toEqual({ 3: renamed[0].after });
    const again = await readCharacter(openGlb((await client.get(`/api/characters/${id}/export.glb`)).bytes));
    expect(again.skeleton.joints[3].name).toBe('Mast “2”');
    const undo = { id: randomUUID(), kind: 'undo', label: 'Rename', target: edit };
    await client.postFrame(`/api/characters/${id}/edits`, { base: 1, entries: [undo] }, []);
    expect(await setups(id)).toEqual({ 3: renamed[0].before });
    const later = await client.frame(`/api/characters/${id}/edits?after=1`);
    expect(later.header).toMatchObject({ entries: [{ kind: 'undo', joints: renamed }] });
  });

  test('an added joint is counted on the shelf, and is no longer when it is undone', async () => {
    const id = await freshCharacter();
    const edit = randomUUID();
    await send(id, 0, 'Add', addJoint(base.skeleton, 5, 'extra', [0, 1, 0]), edit);
    expect(await jointsOnShelf(id)).toBe(61);
    const undo = { id: randomUUID(), kind: 'undo', label: 'Add', target: edit };
    await client.postFrame(`/api/characters/${id}/edits`, { base: 1, entries: [undo] }, []);
    expect(await jointsOnShelf(id)).toBe(60);
    expect(await setups(id)).toEqual({ 60: null });
    const again = await readCharacter(openGlb((await client.get(`/api/characters/${id}/export.glb`)).bytes));
    expect(again.skeleton.joints).toHaveLength(60);
  });

  test('a moved joint stands there in the export, and every weight is the file’s own', async () => {
    const id = await freshCharacter();
    await send(id, 0, 'Place', moveJoints(base.skeleton, new Map([[7, [0.01, 0.9, 0.02]]]), true));
    const again = await readCharacter(openGlb((await client.get(`/api/characters/${id}/export.glb`)).bytes));
    const at = [...restWorld(again.skeleton).subarray(7 * 16 + 12, 7 * 16 + 15)];
    [0.01, 0.9, 0.02].forEach((x, k) => expect(at[k]).toBeCloseTo(x, 5));
    const weighted = base.rows.findIndex((_, part) => base.parts[part].role === 'skinned');
    expect(again.rows[weighted].values).toEqual(base.rows[weighted].values);
  });

  test.each([
    ['a parent out of range', { parent: 5000 }],
    ['a place that is no number', { translation: [0, null, 0] }],
    ['no name', { name: '' }],
  ])('%s is refused, and nothing is kept', async (_name, wrong) => {
    const id = await freshCharacter();
    const [line] = renameJoint(base.skeleton, 3, 'x');
    const joints = [{ ...line, after: { ...line.after, ...wrong } }] as unknown as SkeletonChange;
    const answer = await send(id, 0, 'Wrong', joints);
    expect(answer).toMatchObject({ status: 400, json: { error: { code: 'request-invalid' } } });
    expect(await setups(id)).toEqual({});
  });
});

describe('what is kept beside the weights', () => {
  const PICTURE = 'data:image/png;base64,iVBORw0KGgo=';
  const pose = { 4: { rotation: [0, 0, 0, 1], translation: [0, 0.1, 0], scale: [1, 1, 1] } };

  test('poses: kept, renamed, taken anew and dropped; a name is given once', async () => {
    const id = await freshCharacter();
    const path = `/api/characters/${id}/poses`;
    const made = await client.send('POST', path, { name: 'Bow', joints: pose, picture: PICTURE });
    expect(made.status).toBe(201);
    const twice = await client.send('POST', path, { name: 'Bow', joints: {}, picture: null });
    expect(twice.json.error.message).toMatch(/There is a pose “Bow” already/);
    const other = await client.send('POST', path, { name: 'Nod', joints: {}, picture: null });
    const clash = await client.send('PATCH', `${path}/${other.json.id}`, { name: 'Bow' });
    expect(clash.status).toBe(400);
    await client.send('PATCH', `${path}/${other.json.id}`, { joints: pose });
    const { poses } = (await client.get(path)).json;
    expect(poses).toMatchObject([
      { name: 'Bow', joints: pose, picture: PICTURE },
      { name: 'Nod', joints: pose, picture: null },
    ]);
    expect((await client.send('DELETE', `${path}/${made.json.id}`, undefined)).status).toBe(204);
    expect((await client.get(path)).json.poses).toHaveLength(1);
  });

  test('a picture that is no picture is refused', async () => {
    const id = await freshCharacter();
    const picture = 'data:text/html;base64,PHNjcmlwdD4=';
    const answer = await client.send('POST', `/api/characters/${id}/poses`, {
      name: 'x',
      joints: {},
      picture,
    });
    expect(answer.status).toBe(400);
  });

  test('selections come back as they were saved, part by part', async () => {
    const id = await freshCharacter();
    const path = `/api/characters/${id}/selections`;
    const points = [Uint32Array.from([1, 5, 9]), Uint32Array.from([0])].map(
      (list) => new Uint8Array(list.buffer),
    );
    const first = await client.postFrame(path, { name: 'collar', parts: [0, 2] }, points);
    await client.postFrame(path, { name: 'cuff', parts: [1] }, [points[1]]);
    await client.send('PATCH', `${path}/${first.json.id}`, { name: 'neck' });
    const { header, blobs } = await client.frame(path);
    expect(header).toMatchObject({
      selections: [
        { name: 'neck', parts: [0, 2] },
        { name: 'cuff', parts: [1] },
      ],
    });
    expect(blobs.map((blob) => [...new Uint32Array(blob.slice().buffer)])).toEqual([[1, 5, 9], [0], [0]]);
    await client.send('DELETE', `${path}/${first.json.id}`, undefined);
    expect((await client.frame(path)).blobs).toHaveLength(1);
    const odd = await client.postFrame(path, { name: 'x', parts: [0] }, [Uint8Array.from([1, 2, 3])]);
    expect(odd.status).toBe(400);
  });

  test('settings come back with the character; a stranger gets at none of it', async () => {
    const id = await freshCharacter();
    const settings = { pairs: { 3: 4, 4: 3 }, confines: {}, reaches: {}, parts: { 0: { name: 'coat' } } };
    expect((await client.send('PUT', `/api/characters/${id}/settings`, settings)).status).toBe(204);
    expect((await client.get(`/api/characters/${id}`)).json.settings).toMatchObject(settings);
    expect((await client.send('PUT', `/api/characters/${id}/settings`, { pairs: { 3: -2 } })).status).toBe(
      400,
    );
    const other = randomUUID();
    for (const [method, path] of [
      ['PUT', 'settings'],
      ['GET', 'poses'],
      ['GET', 'selections'],
      ['DELETE', `poses/${other}`],
      ['DELETE', `selections/${other}`],
    ])
      expect(
        (await client.send(method, `/api/characters/${other}/${path}`, method === 'GET' ? undefined : {}))
          .status,
      ).toBe(404);
  });
});
