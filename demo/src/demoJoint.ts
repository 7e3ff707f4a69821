import { cross, dot, normalize, scale, subtract, type Vec3 } from '@judoka/core/math';

/** A joint of a demo character at rest. `aim` is where its bone points, `hinge` the axis it mostly bends about (its x). */
export interface DemoJoint {
  readonly name: string;
  readonly parent: string | null;
  readonly place: Vec3;
  readonly aim: Vec3;
  readonly hinge: Vec3;
}

/** World matrix at rest, column-major: y along the bone, x along the hinge. */
export function restMatrix({ place, aim, hinge }: DemoJoint): number[] {
  const y = aim;
  const x = normalize(subtract(hinge, scale(y, dot(hinge, y))));
  const z = cross(x, y);
  return [...x, 0, ...y, 0, ...z, 0, ...place, 1];
}
