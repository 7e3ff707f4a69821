import { smoothMesh, type DemoMesh } from '../demoMesh.ts';
import { writeGlb } from '../writeGlb.ts';
import { bodyCage } from './body.ts';
import { makeClips } from './clips.ts';
import { capeCage, scarfCage } from './clothes.ts';
import { plantFaults, type PlantedFault } from './faults.ts';
import { beakCage, eyesCage, lanternCage, satchelCage } from './props.ts';
import { restMatrix } from '../demoJoint.ts';
import { JOINT_NAMES, JOINTS } from './skeleton.ts';

export interface FerryKeeperOptions {
  /** `small` has about 8k points, `large` about 100k. */
  readonly size: 'small' | 'large';
  /** Without faults, the weights are the maker's own. */
  readonly faults: boolean;
}

/** The parts of the ferry-keeper with their weights, and where the faults are. */
export function makeFerryKeeperMeshes({ size, faults }: FerryKeeperOptions): {
  meshes: DemoMesh[];
  planted: PlantedFault[];
} {
  const large = size === 'large';
  const make = (
    name: string,
    cage: Parameters<typeof smoothMesh>[1],
    level: number,
    colour: DemoMesh['colour'],
    doubleSided = false,
  ): DemoMesh =>
    smoothMesh(name, cage, level + (large ? (name === 'body' ? 2 : 1) : 0), JOINT_NAMES, colour, {
      doubleSided,
    });
  const meshes = [
    make('body', bodyCage(), 2, [0.33, 0.4, 0.47]),
    make('eyes', eyesCage(), 2, [0.8, 0.55, 0.08]),
    make('beak upper', beakCage('upper'), 1, [0.62, 0.4, 0.14]),
    make('beak lower', beakCage('lower'), 1, [0.62, 0.4, 0.14]),
    make('cape', capeCage(), 2, [0.2, 0.26, 0.2], true),
    make('scarf', scarfCage(), 1, [0.6, 0.12, 0.08]),
    make('satchel', satchelCage(), 1, [0.3, 0.18, 0.09]),
    make('lantern', lanternCage(), 1, [0.55, 0.42, 0.15]),
  ];
  return { meshes, planted: faults ? plantFaults(meshes) : [] };
}

/** The ferry-keeper as a binary glTF. The same bytes at every call. */
export async function makeFerryKeeper(options: FerryKeeperOptions): Promise<Uint8Array> {
  const { meshes } = makeFerryKeeperMeshes(options);
  const skeleton = JOINTS.map((joint) => ({
    name: joint.name,
    parent: joint.parent,
    matrix: restMatrix(joint),
  }));
  return writeGlb('The ferry-keeper', skeleton, meshes, makeClips());
}
