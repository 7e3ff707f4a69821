import { BufferAttribute, BufferGeometry, Ray, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { PartPicker, type Hit } from '../../web/src/scene/picking/Picker.ts';
import type { Surface } from './surface.ts';

/** The page's own picking over a surface: from straight above, at x and y in 0..1. */
export function surfacePicking({ arrays, triangles, pointCount }: Surface): {
  pick(x: number, y: number): Hit | undefined;
  touched(points: Uint32Array, count: number): void;
} {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(arrays.positions, 3));
  geometry.setIndex(new BufferAttribute(triangles, 1));
  const tree = MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }));
  const picker = new PartPicker({ part: { triangles, pointCount }, skin: arrays, tree }, geometry);
  const low = new Vector3(Infinity, Infinity, 0);
  const high = new Vector3(-Infinity, -Infinity, 0);
  for (let p = 0; p < pointCount; p++) {
    const place = new Vector3().fromArray(arrays.positions, p * 3);
    low.min(place);
    high.max(place);
  }
  const size = high.clone().sub(low);
  return {
    pick: (x, y) =>
      picker.pick(new Ray(new Vector3(low.x + x * size.x, low.y + y * size.y, 10), new Vector3(0, 0, -1))),
    touched: (points, count) => picker.touched(points, count),
  };
}
