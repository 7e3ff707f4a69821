import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { BufferAttribute, BufferGeometry, Ray, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { markChanged, markWhole, PartPicker } from './Picker.ts';

const SIDE = 12;

/** A sheet of SIDE × SIDE points in the plane z = 0, one unit apart. */
function sheet() {
  const positions = new Float32Array(SIDE * SIDE * 3);
  const triangles: number[] = [];
  for (let p = 0; p < SIDE * SIDE; p++) positions.set([p % SIDE, Math.floor(p / SIDE), 0], p * 3);
  for (let y = 0; y + 1 < SIDE; y++) {
    for (let x = 0; x + 1 < SIDE; x++) {
      const a = y * SIDE + x;
      triangles.push(a, a + 1, a + SIDE + 1, a, a + SIDE + 1, a + SIDE);
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(positions, 3));
  geometry.setIndex(new BufferAttribute(Uint32Array.from(triangles), 1));
  const tree = MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }));
  const part = { triangles: Uint32Array.from(triangles), pointCount: SIDE * SIDE };
  return {
    positions,
    picker: new PartPicker({ part, skin: { positions, normals: positions.slice() }, tree }, geometry),
  };
}

const fromAbove = (x: number, y: number): Ray => new Ray(new Vector3(x, y, 50), new Vector3(0, 0, -1));

describe('a surface that is held', () => {
  test('is met where it was, however it moves; let go, where it is', () => {
    const { positions, picker } = sheet();
    const before = picker.pick(fromAbove(2.2, 3.1))?.distance;
    picker.hold();
    const moved = Uint32Array.from({ length: SIDE * SIDE }, (_, p) => p);
    for (const p of moved) positions[p * 3 + 2] = 10;
    picker.touched(moved, moved.length);
    expect(picker.pick(fromAbove(2.2, 3.1))?.distance).toBe(before);
    picker.letGo();
    expect(picker.pick(fromAbove(2.2, 3.1))?.distance).toBeCloseTo((before ?? 0) - 10, 5);
  });
});

describe('picking on a posed surface', () => {
  test('finds place, corners and the nearest point, with the normal toward the eye', () => {
    const { picker } = sheet();
    const hit = picker.pick(fromAbove(3.1, 4.2));
    expect(hit?.place.map((n) => Math.round(n * 100) / 100)).toEqual([3.1, 4.2, 0]);
    expect(hit?.point).toBe(4 * SIDE + 3);
    expect(hit?.corners).toContain(4 * SIDE + 3);
    expect(hit?.normal[2]).toBeCloseTo(1, 6);
    const below = picker.pick(new Ray(new Vector3(3.1, 4.2, -5), new Vector3(0, 0, 1)));
    expect(below?.normal[2]).toBeCloseTo(-1, 6);
    expect(picker.pick(fromAbove(-3, 4))).toBeUndefined();
  });

  test('after the whole surface has moved it is found where it is now', () => {
    const { positions, picker } = sheet();
    picker.pick(fromAbove(5, 5));
    for (let i = 0; i < positions.length; i += 3) positions[i] += 100;
    picker.moved();
    expect(picker.pick(fromAbove(5.2, 5.3))).toBeUndefined();
    expect(picker.pick(fromAbove(105.2, 5.3))?.place[0]).toBeCloseTo(105.2, 4);
  });

  test('refitting only what a stroke touched finds the same as refitting all', () => {
    const move = fc.tuple(fc.nat(SIDE * SIDE - 1), fc.double({ min: -20, max: 20, noNaN: true }));
    fc.assert(
      fc.property(
        fc.array(fc.array(move, { minLength: 1, maxLength: 9 }), { minLength: 1, maxLength: 5 }),
        (strokes) => {
          const [partly, wholly] = [sheet(), sheet()];
          partly.picker.pick(fromAbove(1, 1));
          for (const moves of strokes) {
            for (const { positions } of [partly, wholly])
              for (const [p, z] of moves) positions[p * 3 + 2] = z;
            const points = Uint32Array.from(moves, ([p]) => p);
            partly.picker.touched(points, points.length);
            wholly.picker.moved();
            for (const [x, y] of [
              [0.3, 0.2],
              [5.4, 6.7],
              [10.9, 10.8],
              [moves[0][0] % SIDE, Math.floor(moves[0][0] / SIDE)],
            ]) {
              const [a, b] = [partly.picker.pick(fromAbove(x, y)), wholly.picker.pick(fromAbove(x, y))];
              expect(a?.distance).toBe(b?.distance);
            }
          }
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('what is sent to the renderer', () => {
  test('near points go as one range, far ones apart', () => {
    const attribute = new BufferAttribute(new Float32Array(3000), 3);
    markChanged(attribute, Uint32Array.of(500, 2, 10), 3);
    expect(attribute.updateRanges).toEqual([
      { start: 6, count: 27 },
      { start: 1500, count: 3 },
    ]);
    expect(attribute.version).toBe(1);
  });

  test('a scattered change goes whole', () => {
    const attribute = new BufferAttribute(new Float32Array(300_000), 3);
    const points = Uint32Array.from({ length: 60 }, (_, i) => i * 1000);
    markChanged(attribute, points, 60);
    expect(attribute.updateRanges).toEqual([]);
    expect(attribute.version).toBe(1);
  });
});

describe('what is sent to be drawn', () => {
  const attribute = (): BufferAttribute => new BufferAttribute(new Float32Array(3000), 3);

  test('a whole change is sent whole, whatever was and is touched before it is drawn', () => {
    const places = attribute();
    markChanged(places, Uint32Array.of(1, 2), 2);
    expect(places.updateRanges.length).toBe(1);
    markWhole(places);
    markChanged(places, Uint32Array.of(5), 1);
    expect(places.updateRanges).toEqual([]);
    // Once it was sent, small changes are small again.
    places.onUploadCallback();
    markChanged(places, Uint32Array.of(5), 1);
    expect(places.updateRanges).toEqual([{ start: 15, count: 3 }]);
  });

  test('a scattered change is sent whole, also after a small one', () => {
    const places = attribute();
    markChanged(places, Uint32Array.of(1), 1);
    markChanged(
      places,
      Uint32Array.from({ length: 10 }, (_, i) => i * 100),
      10,
    );
    expect(places.updateRanges.length).toBeGreaterThan(1);
    const many = new BufferAttribute(new Float32Array(3 * 70 * 100), 3);
    markChanged(many, Uint32Array.of(1), 1);
    markChanged(
      many,
      Uint32Array.from({ length: 60 }, (_, i) => i * 100),
      60,
    );
    expect(many.updateRanges).toEqual([]);
  });
});
