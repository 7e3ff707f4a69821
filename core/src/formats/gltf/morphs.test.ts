import { describe, expect, test } from '@jest/globals';
import type { Clip } from '../../animation/clip.ts';
import type { TurnRange } from '../../deform/morph/turns.ts';
import type { Character } from '../../document/character.ts';
import { halvesOf, movesOfPoints } from '../../mesh/morphs.ts';
import { CoreError } from '../../errors.ts';
import { BufferWriter } from './bufferWriter.ts';
import { exportCharacter } from './exportCharacter.ts';
import type { GltfContainer } from './container.ts';
import { readCharacter } from './readCharacter.ts';
import { putNumbers as put, testContainer } from './testGlb.ts';
import type { LeavingMorph } from './writeMorphs.ts';

interface Shaped {
  primitives: { targets?: Record<string, number>[] }[];
  extras?: { targetNames?: string[] };
  weights?: number[];
}
const meshOf = ({ json }: GltfContainer): Shaped => (json.meshes ?? [])[0];

/** The strip with two shapes: one lifts all points by their number, one moves the first along x; a clip plays both. */
function shaped(): GltfContainer {
  const container = testContainer();
  const { json } = container;
  const count = (json.accessors ?? [])[0].count;
  const lift = put(container, Array.from({ length: count }, (_, v) => [0, 0, v + 1]).flat(), 'VEC3', 3);
  const tilt = put(container, Array.from({ length: count }, () => [0, 1, 0]).flat(), 'VEC3', 3);
  const push = put(
    container,
    Array.from({ length: count }, (_, v) => [v === 0 ? 2 : 0, 0, 0]).flat(),
    'VEC3',
    3,
  );
  const mesh = meshOf(container);
  mesh.primitives[0].targets = [{ POSITION: lift, NORMAL: tilt }, { POSITION: push }];
  mesh.extras = { targetNames: ['lift', 'push'] };
  mesh.weights = [0.25, 0];
  const times = put(container, [0, 1], 'SCALAR', 1);
  const weights = put(container, [0, 0, 1, 0.5], 'SCALAR', 1);
  json.animations = [
    {
      name: 'play',
      channels: [{ sampler: 0, target: { node: 2, path: 'weights' } }],
      samplers: [{ input: times, output: weights, interpolation: 'LINEAR' }],
    },
  ];
  return container;
}

async function written(
  morphs: (character: Character) => readonly LeavingMorph[],
): Promise<{ container: GltfContainer; read: Character; came: Character }> {
  const container = shaped();
  const came = await readCharacter(container);
  const out = exportCharacter(container, came, came.rows, { morphs: morphs(came) });
  return { container: out, read: await readCharacter(out), came };
}

const all: LeavingMorph[] = [
  { morph: 0, name: 'lift', isMade: false },
  { morph: 1, name: 'push', isMade: false },
];

describe('shapes of a file', () => {
  test('are read by name, with what moves alone, and how much of them there is at rest', async () => {
    const { morphs, parts } = await readCharacter(shaped());
    expect(morphs.map(({ name, weight }) => [name, weight])).toEqual([
      ['lift', 0.25],
      ['push', 0],
    ]);
    expect([...morphs[1].targets[0].vertices]).toEqual([0]);
    expect([...morphs[1].targets[0].positions]).toEqual([2, 0, 0]);
    expect(morphs[0].targets[0].vertices).toHaveLength(parts[0].vertexCount);
    const { points, moves } = movesOfPoints(morphs[0].targets[0], parts[0].vertexPoint);
    expect(points).toHaveLength(parts[0].pointCount);
    expect(moves.every((x, i) => (i % 3 === 2 ? x >= 1 : x === 0))).toBe(true);
  });

  test('a target of other points is left alone, and said', async () => {
    const container = shaped();
    (container.json.accessors ?? [])[meshOf(container).primitives[0].targets?.[1].POSITION ?? 0].count -= 1;
    const read = await readCharacter(container).catch((error: unknown) => error);
    if (read instanceof CoreError) expect(read.message).toMatch(/count|points|target/);
    else {
      expect((read as Character).morphs.map(({ name }) => name)).toEqual(['lift']);
      expect((read as Character).notes.join()).toContain('“push”');
    }
  });

  test('go out as they came where nobody changed them', async () => {
    const { container } = await written(() => all);
    const [mine, theirs] = [meshOf(container), meshOf(shaped())];
    expect(mine).toEqual(theirs);
  });

  test('two halves by masks are the whole, at every vertex and in every clip; names are kept', async () => {
    const { read, came, container } = await written(({ parts }) => {
      const { one, other } = halvesOf(
        parts[0].positions.filter((_, i) => i % 3 === 1),
        0.7,
      );
      const half = (name: string, amounts: Float32Array): LeavingMorph => ({
        ...{ morph: 0, name, isMade: true },
        amounts: new Map([[0, amounts]]),
      });
      return [all[1], half('lift up', one), half('lift down', other)];
    });
    expect(read.morphs.map(({ name }) => name)).toEqual(['push', 'lift up', 'lift down']);
    expect(meshOf(container).extras?.targetNames).toEqual(['push', 'lift up', 'lift down']);
    // Both begin with what the whole had.
    expect(meshOf(container).weights).toEqual([0, 0.25, 0.25]);
    const sums = [new Map<number, number[]>(), new Map<number, number[]>()];
    for (const { targets } of read.morphs.slice(1))
      targets[0].vertices.forEach((v, i) =>
        [targets[0].positions, targets[0].normals ?? []].forEach((of, kind) => {
          const sum = sums[kind].get(v) ?? [0, 0, 0];
          sums[kind].set(
            v,
            sum.map((x, k) => x + of[i * 3 + k]),
          );
        }),
      );
    const [whole] = came.morphs[0].targets;
    whole.vertices.forEach((v, i) => {
      for (let k = 0; k < 3; k++) {
        expect(sums[0].get(v)?.[k]).toBeCloseTo(whole.positions[i * 3 + k], 5);
        expect(sums[1].get(v)?.[k]).toBeCloseTo(whole.normals?.[i * 3 + k] ?? NaN, 5);
      }
    });
    const { output } = (container.json.animations ?? [])[0].samplers[0];
    const accessor = (container.json.accessors ?? [])[output];
    expect(accessor.count).toBe(6);
    const view = (container.json.bufferViews ?? [])[accessor.bufferView ?? 0];
    const bytes = container.buffers[view.buffer].slice(view.byteOffset, (view.byteOffset ?? 0) + 24);
    expect([...new Float32Array(bytes.buffer)]).toEqual([0, 0, 0, 0.5, 1, 1]);
  });

  test('what is masked is written sparsely, and one that is made beside the whole begins at nothing', async () => {
    const amounts = new Map([[0, new Float32Array(100)]]);
    const { container, read } = await written(({ parts }) => {
      amounts.set(
        0,
        Float32Array.from({ length: parts[0].pointCount }, (_, p) => (p === 1 ? 0.5 : 0)),
      );
      return [...all, { morph: 0, name: 'lift one', isMade: true, amounts }];
    });
    expect(meshOf(container).weights).toEqual([0.25, 0, 0]);
    const [target] = read.morphs[2].targets;
    expect(target.vertices).toHaveLength(1);
    const { POSITION } = meshOf(container).primitives[0].targets?.[2] ?? {};
    expect((container.json.accessors ?? [])[POSITION]).toMatchObject({ sparse: { count: 1 } });
    expect((container.json.accessors ?? [])[POSITION].bufferView).toBeUndefined();
  });

  test('two targets of a mesh with one name are two shapes, and go out as such', async () => {
    const container = shaped();
    meshOf(container).extras = { targetNames: ['lift', 'lift'] };
    const came = await readCharacter(container);
    expect(came.morphs.map(({ name, places }) => [name, places[0]])).toEqual([
      ['lift', 0],
      ['lift (2)', 1],
    ]);
    const out = exportCharacter(container, came, came.rows, {
      morphs: [{ morph: 1, name: 'push', isMade: false }],
    });
    const { morphs } = await readCharacter(out);
    expect(morphs.map(({ name }) => name)).toEqual(['push']);
    expect([...morphs[0].targets[0].vertices]).toEqual([0]);
  });

  test('clips that share a track with another mesh leave that one alone', async () => {
    const container = shaped();
    const { json } = container;
    // Another node shows a mesh of its own by the same track.
    (json.meshes ?? []).push({ ...structuredClone((json.meshes ?? [])[0]), name: 'other' });
    (json.nodes ?? []).push({ name: 'other', mesh: 1 });
    const node = (json.nodes ?? []).length - 1;
    (json.scenes ?? [])[0].nodes?.push(node);
    const [animation] = json.animations ?? [];
    animation.channels.push({ sampler: 0, target: { node, path: 'weights' } });
    // Its shapes have names of their own, and stay.
    ((json.meshes ?? [])[1] as unknown as Shaped).extras = { targetNames: ['a', 'b'] };
    const came = await readCharacter(container);
    const kept = came.morphs.flatMap(({ name }, morph) =>
      name === 'lift' ? [] : [{ morph, name, isMade: false }],
    );
    const out = exportCharacter(container, came, came.rows, { morphs: kept });
    const [written] = out.json.animations ?? [];
    const counts = written.channels.map(
      ({ sampler }) => (out.json.accessors ?? [])[written.samplers[sampler].output].count,
    );
    expect(counts).toEqual([2, 4]);
    expect((await readCharacter(out)).morphs.map(({ name }) => name)).toEqual(['push', 'a', 'b']);
  });

  test('all left out, nothing of them is in the file', async () => {
    const { container, read } = await written(() => []);
    expect(read.morphs).toEqual([]);
    expect(meshOf(container).primitives[0].targets).toBeUndefined();
    expect(meshOf(container).weights).toBeUndefined();
    expect(container.json.animations).toBeUndefined();
  });
});

describe('shapes that go on by a joint’s turn', () => {
  /** The strip with a clip that turns the knee about z, to so many degrees in a second. */
  function turning(degrees: number): GltfContainer {
    const container = shaped();
    const [clip] = container.json.animations ?? [];
    const half = (degrees * Math.PI) / 360;
    const turns = put(container, [0, 0, 0, 1, 0, 0, Math.sin(half), Math.cos(half)], 'VEC4', 4);
    clip.samplers.push({ input: clip.samplers[0].input, output: turns, interpolation: 'LINEAR' });
    clip.channels.push({ sampler: 1, target: { node: 1, path: 'rotation' } });
    return container;
  }
  const push: LeavingMorph = { ...all[1], turn: { joint: 1, axis: 'z', from: 0, to: 90 } };

  /** The amounts of both shapes in a clip of what goes out, by key. */
  async function amountsOf(
    container: GltfContainer,
    {
      clip = 0,
      morphs = [all[0], push],
      clips,
    }: { clip?: number; morphs?: LeavingMorph[]; clips?: Clip[] } = {},
  ): Promise<{ times: number[]; amounts: number[][] }> {
    const came = await readCharacter(container);
    const out = exportCharacter(container, came, came.rows, {
      morphs,
      ...(clips && { clips }),
    });
    const { channels, samplers } = (out.json.animations ?? [])[clip];
    const own = channels.filter(({ target }) => target.path === 'weights');
    expect(own).toHaveLength(1);
    const { input, output } = samplers[own[0].sampler];
    const [times, values] = [input, output].map((index) => [
      ...(new BufferWriter(out.json, out).readFloats(index) ?? []),
    ]);
    return { times, amounts: times.map((_, k) => values.slice(k * 2, k * 2 + 2)) };
  }

  test('have their amounts in clips, a key a frame, on top of what a clip does with them', async () => {
    const { times, amounts } = await amountsOf(turning(45));
    expect(times.length).toBeGreaterThan(10);
    times.forEach((seconds, k) => {
      expect(amounts[k][0]).toBeCloseTo(seconds, 4);
      expect(amounts[k][1]).toBeCloseTo(0.5 * seconds + 0.5 * seconds, 3);
    });
  });

  test('have them in motions that go along too, on top of what they are at rest', async () => {
    const times = Float32Array.of(0, 1);
    const values = Float32Array.of(0, 0, 0, 1, 0, 0, Math.SQRT1_2, Math.SQRT1_2);
    const tracks = [{ joint: 1, path: 'rotation' as const, interpolation: 'LINEAR' as const, times, values }];
    const { amounts } = await amountsOf(turning(0), {
      clip: 1,
      clips: [{ name: 'bend', seconds: 1, rate: 4, tracks }],
    });
    expect(amounts.map(([lift]) => lift)).toEqual([0.25, 0.25, 0.25, 0.25, 0.25]);
    amounts.forEach(([, amount], k) => expect(amount).toBeCloseTo(k / 4, 3));
  });

  test('are left alone where their joint is not there', async () => {
    const morphs = [all[0], { ...push, turn: { ...push.turn, joint: 99 } as TurnRange }];
    expect((await amountsOf(turning(45), { morphs })).times).toEqual([0, 1]);
  });
});
