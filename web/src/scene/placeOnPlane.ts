import { Plane, Raycaster, Vector2, Vector3 } from 'three';
import type { Spot } from './spot.ts';
import type { StageView } from './StageView.ts';

/** Where a spot of the stage lies on the plane through a place that faces the eye; the place itself where it lies nowhere. */
export function placeOnPlane(
  { camera, stageSize }: Pick<StageView, 'camera' | 'stageSize'>,
  { x, y }: Spot,
  place: readonly [number, number, number],
): [number, number, number] {
  const through = new Vector3(...place);
  const plane = new Plane().setFromNormalAndCoplanarPoint(camera.getWorldDirection(new Vector3()), through);
  const caster = new Raycaster();
  caster.setFromCamera(new Vector2((2 * x) / stageSize.width - 1, 1 - (2 * y) / stageSize.height), camera);
  return (caster.ray.intersectPlane(plane, new Vector3()) ?? through).toArray();
}
