import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { DELIVERY, type Delivery } from '../../../document/index.ts';
import { roundRows } from '../../../weights/roundRows.ts';
import { wholeShares } from '../../../weights/wholeShares.ts';
import { rowsFrom } from '../../../testing/shapes.ts';
import { influencesOf } from '../../../weights/rows.ts';
import { deliverCharacter } from '../../deliverCharacter.ts';
import { openCharacterFile } from '../../openCharacterFile.ts';
import { openGlb, writeGlb, type GltfContainer } from '../container.ts';
import { readCharacter } from '../readCharacter.ts';
import { testContainer } from '../testGlb.ts';
import { dropUnused } from './dropUnused.ts';
import { splitFaces } from './splitFaces.ts';

/** Of a made-up extension nothing is known: bytes are only dropped from a file without it. */
function plain(): GltfContainer {
  const container = testContainer();
  const {
    extensionsUsed: _,
    extensions: __,
    ...json
  } = container.json as GltfContainer['json'] & { extensions?: unknown };
  return { ...container, json };
}
async function delivered(how: Partial<Delivery>, container = plain()): Promise<GltfContainer> {
  const character = await readCharacter(container);
  const { files, main } = await deliverCharacter(
    { container, character, rows: character.rows },
    { ...DELIVERY, ...how },
    'leg',
  );
  return openCharacterFile(files.get(main) ?? new Uint8Array(), (name) => files.get(name));
}

describe('whole shares', () => {
  test('the largest remainders get what is left, by hand', () => {
    const shares = new Uint8Array(3);
    // 85 each; 255 of 10.
    wholeShares([1, 1, 1], 0, 3, 255, shares);
    expect([...shares]).toEqual([85, 85, 85]);
    // 1.7, 3.3 and 5 of ten: seven tenths of a step beat three.
    wholeShares([1.7, 3.3, 5], 0, 3, 10, shares);
    expect([...shares]).toEqual([2, 3, 5]);
  });

  test('sum to the whole exactly, each within one step of its weight', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 1, maxLength: 8 }),
        (weights) => {
          const sum = weights.reduce((total, x) => total + x, 0);
          const shares = new Uint16Array(weights.length);
          for (const whole of [255, 65535]) {
            wholeShares(weights, 0, weights.length, whole, shares);
            const total = shares.reduce((all, x) => all + x, 0);
            expect(total).toBe(sum > 1e-20 ? whole : 0);
            if (sum > 1e-3)
              weights.forEach((x, k) =>
                expect(Math.abs(shares[k] - (x / sum) * whole)).toBeLessThanOrEqual(1 + 1e-6),
              );
          }
        },
      ),
    );
  });

  test('rows as they are read back: sorted, none below a step', () => {
    const rows = roundRows(rowsFrom([{ 0: 0.501, 1: 0.4985, 2: 0.0005 }]), 255);
    expect(influencesOf(rows, 0).map(({ joint, weight }) => [joint, Math.round(weight * 255)])).toEqual([
      [0, 128],
      [1, 127],
    ]);
  });
});

describe('a file that leaves', () => {
  test('in 8 and 16 bits sums to one exactly, and is read back as it was rounded', async () => {
    for (const [weights, whole] of [
      ['u8', 255],
      ['u16', 65535],
    ] as const) {
      const container = await delivered({ weights });
      const before = await readCharacter(plain());
      const after = await readCharacter(container);
      expect(after.sourceWeights[0].scaled).toBe(0);
      expect([...after.rows[0].values]).toEqual([...roundRows(before.rows[0], whole).values]);
      const accessor =
        container.json.accessors?.[container.json.meshes?.[0].primitives[0].attributes.WEIGHTS_0 ?? -1];
      expect(accessor).toMatchObject({ normalized: true, componentType: weights === 'u8' ? 5121 : 5123 });
    }
  });

  test('without joints that have no weight keeps their nodes, and their order', async () => {
    const container = plain();
    container.json.skins?.[0].joints.unshift(2);
    const { joints } = (await delivered({ leavesEmptyJoints: true })).json.skins?.at(-1) ?? { joints: [] };
    expect(joints).toEqual([0, 1]);
  });

  test('split by vertices has the same faces, in parts that are not too large', async () => {
    const after = await readCharacter(await delivered({ maxVertices: 4 }));
    expect(after.parts.map(({ vertexCount }) => vertexCount)).toEqual([4, 4]);
    const before = await readCharacter(plain());
    const area = ({ parts }: typeof before): number =>
      parts.reduce((sum, { triangles }) => sum + triangles.length, 0);
    expect(area(after)).toBe(area(before));
    expect(after.parts.map(({ name }) => name)).toEqual(['leg mesh', 'leg mesh 2']);
  });

  test('split by joints: a face with too many alone is refused', async () => {
    await expect(delivered({ maxJoints: 1 })).rejects.toThrow(/One face alone follows more than 1 joints/);
  });

  test('packed is smaller or not, and unpacks to the same bits', async () => {
    const container = plain();
    const packed = await delivered({ isPacked: true }, container);
    expect(packed.json.extensionsRequired).toEqual(['EXT_meshopt_compression']);
    const [before, after] = [await readCharacter(container), await readCharacter(openGlb(writeGlb(packed)))];
    expect([...after.parts[0].positions]).toEqual([...before.parts[0].positions]);
    expect([...after.rows[0].values]).toEqual([...before.rows[0].values]);
    expect([...after.parts[0].triangles]).toEqual([...before.parts[0].triangles]);
  });

  test('larger and with z up stands so by one node, and comes back so', async () => {
    const { json } = await delivered({ scale: 100, up: 'Z' });
    const [root] = json.scenes?.[0].nodes ?? [];
    expect(json.nodes?.[root]).toMatchObject({ name: 'delivered', scale: [100, 100, 100], children: [0] });
  });

  test('unused numbers go, and what is used stays to the bit', async () => {
    const container = plain();
    const again = dropUnused({
      ...container,
      buffers: [...container.buffers, new Uint8Array(1000)],
      json: { ...container.json, buffers: [...(container.json.buffers ?? []), { byteLength: 1000 }] },
    });
    expect(again.buffers).toHaveLength(1);
    expect(again.buffers[0].length).toBeLessThan(container.buffers[0].length + 8);
    expect([...(await readCharacter(again)).rows[0].values]).toEqual([
      ...(await readCharacter(container)).rows[0].values,
    ]);
    // A file with an extension that nobody here knows stays as it is.
    const strange = testContainer();
    expect(dropUnused(strange)).toBe(strange);
  });
});

describe('faces in groups', () => {
  test('every face is in one group, and no group has more joints or vertices than it may', () => {
    const faces = fc.array(fc.tuple(fc.nat(29), fc.nat(29), fc.nat(29)), { minLength: 1, maxLength: 60 });
    fc.assert(
      fc.property(faces, fc.integer({ min: 6, max: 12 }), (all, most) => {
        const indices = Uint32Array.from(all.flat());
        const joints = (vertex: number): number[] => [vertex % 7, (vertex * 3) % 5];
        const groups = splitFaces(indices, 30, joints, most, most) ?? [];
        const sorted = (list: Uint32Array): string[] =>
          Array.from({ length: list.length / 3 }, (_, f) => list.subarray(f * 3, f * 3 + 3).join()).sort();
        expect(groups.flatMap((group) => sorted(group)).sort()).toEqual(sorted(indices));
        for (const group of groups) {
          expect(new Set(group).size).toBeLessThanOrEqual(most);
          expect(new Set([...group].flatMap(joints)).size).toBeLessThanOrEqual(most);
        }
      }),
    );
  });
});
