import type { DemoMesh } from '../demoMesh.ts';
import { JOINT_NAMES } from './skeleton.ts';

/** Where a fault sits, so that tests can cure and check it. Points are those of the part as written. */
export interface PlantedFault {
  readonly code: FaultCode;
  readonly part: string;
  readonly points: readonly number[];
}

export type FaultCode =
  | 'wrong-leg'
  | 'heel-on-knee'
  | 'upper-beak-follows-lower'
  | 'armpit-collapses'
  | 'knee-thins'
  | 'throat-stays-behind'
  | 'cape-without-weights'
  | 'face-in-hundreds'
  | 'tied-to-root'
  | 'six-influences'
  | 'uneven-wing'
  | 'negative-weights';

const joint = (name: string): number => JOINT_NAMES.indexOf(name);

/** Plants the faults of FAULTS.md in the meshes, in place. */
export function plantFaults(meshes: readonly DemoMesh[]): PlantedFault[] {
  const faults: PlantedFault[] = [];
  const plant = (
    code: FaultCode,
    partName: string,
    where: (x: number, y: number, z: number, row: ReadonlyMap<number, number>) => boolean,
    change: (mesh: DemoMesh, point: number) => void,
  ): void => {
    const mesh = meshes.find(({ name }) => name === partName);
    if (!mesh) throw new Error(`There is no part “${partName}” to plant a fault in.`);
    const points: number[] = [];
    for (let p = 0; p < mesh.weights.length; p++) {
      const [x, y, z] = mesh.positions.subarray(p * 3, p * 3 + 3);
      if (where(x, y, z, mesh.weights[p])) points.push(p);
    }
    for (const p of points) change(mesh, p);
    faults.push({ code, part: partName, points });
  };
  const has = (row: ReadonlyMap<number, number>, name: string, least: number): boolean =>
    (row.get(joint(name)) ?? 0) > least;
  const give = (row: Map<number, number>, name: string, share: number): void => {
    for (const [j, weight] of row) row.set(j, weight * (1 - share));
    row.set(joint(name), (row.get(joint(name)) ?? 0) + share);
  };

  // A patch on the inside of the left shin follows the right knee by a third.
  plant(
    'wrong-leg',
    'body',
    (x, y, _z, row) => x > 0 && x < 0.087 && y > 0.36 && y < 0.43 && has(row, 'knee_L', 0.6),
    (mesh, p) => give(mesh.weights[p], 'knee_R', 0.35),
  );
  // The back of the right foot and its heel follow the knee.
  plant(
    'heel-on-knee',
    'body',
    (x, y, z) => x < 0 && y < 0.06 && z < -0.008 && z > -0.032,
    (mesh, p) => {
      mesh.weights[p].clear();
      mesh.weights[p].set(joint('knee_R'), 1);
    },
  );
  // The tip of the upper beak goes along when the lower opens.
  plant(
    'upper-beak-follows-lower',
    'beak upper',
    (_x, _y, z) => z > 0.44,
    (mesh, p) => give(mesh.weights[p], 'beak_lower', 0.7),
  );
  // Below the left wing the flank follows the shoulder far too much.
  plant(
    'armpit-collapses',
    'body',
    (x, y, z) => x > 0.055 && x < 0.15 && y > 0.655 && y < 0.77 && z > 0.02 && z < 0.14,
    (mesh, p) => give(mesh.weights[p], 'shoulder_L', 0.7),
  );
  // About the left knee, thigh and shin share the surface half and half over far too long a stretch.
  plant(
    'knee-thins',
    'body',
    (x, y, _z, row) => x > 0 && y > 0.44 && y < 0.575 && (has(row, 'hip_L', 0.4) || has(row, 'knee_L', 0.4)),
    (mesh, p) => {
      mesh.weights[p].clear();
      mesh.weights[p].set(joint('hip_L'), 0.5).set(joint('knee_L'), 0.5);
    },
  );
  // The throat follows the chest by two thirds and more, as far up as the middle of the neck.
  plant(
    'throat-stays-behind',
    'body',
    (x, y, z) => Math.abs(x) < 0.05 && y > 0.88 && y < 1.1 && z > 0.2,
    (mesh, p) => give(mesh.weights[p], 'chest', 0.7),
  );
  // A strip of the cape's hem never got weights.
  plant(
    'cape-without-weights',
    'cape',
    (x, _y, z) => z < -0.2 && x > 0.01 && x < 0.1,
    (mesh, p) => mesh.weights[p].clear(),
  );
  // Points on the back hang on the root.
  plant(
    'tied-to-root',
    'body',
    (x, y, z) => Math.abs(x) < 0.03 && y > 0.79 && z > -0.1 && z < -0.02,
    (mesh, p) => {
      mesh.weights[p].clear();
      mesh.weights[p].set(joint('root'), 1);
    },
  );
  // Six influences at the base of the neck, where four are allowed.
  plant(
    'six-influences',
    'body',
    (_x, y, z) => y > 0.83 && y < 0.875 && z > 0.12 && z < 0.27,
    (mesh, p) => {
      for (const name of ['neck_2', 'neck_3', 'spine_2', 'shoulder_L', 'shoulder_R']) {
        if (mesh.weights[p].size < 6) give(mesh.weights[p], name, 0.03);
      }
    },
  );
  // The face is in units of 0 to 100.
  plant(
    'face-in-hundreds',
    'body',
    (_x, y, z) => y > 1.25 && z > 0.3,
    (mesh, p) => {
      for (const [j, weight] of mesh.weights[p]) mesh.weights[p].set(j, weight * 100);
    },
  );
  // The right wing's hand is a little longer and lower than the left's.
  plant(
    'uneven-wing',
    'body',
    (x) => x < -0.42,
    (mesh, p) => {
      const t = (-mesh.positions[p * 3] - 0.42) / 0.2;
      mesh.positions[p * 3] -= 0.006 * t;
      mesh.positions[p * 3 + 1] -= 0.004 * t;
    },
  );
  // Somebody's script left negative weights at the end of the scarf.
  plant(
    'negative-weights',
    'scarf',
    (_x, y) => y < 0.595,
    (mesh, p) => {
      mesh.weights[p].clear();
      mesh.weights[p].set(joint('scarf_5'), 1.25).set(joint('scarf_1'), -0.25);
    },
  );
  return faults;
}
