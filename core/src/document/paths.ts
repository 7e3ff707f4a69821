import type { Json } from './json.ts';
import type { DocumentValues } from './values.ts';

/**
 * The paths of a document's values. `<joint>` and `<part>` are numbers, `<id>` is an id that no two people can give
 * twice.
 *
 *   locks/<joint>             true          no operation may change the joint's weights
 *   nonDeforming/<joint>      true          bindings give the joint no weight
 *   pairs/<joint>             number        its partner as a person has set it; itself for the middle, -1 for none
 *   confines/<joint>          text          the saved selection that it may only weigh on
 *   reaches/<joint>           JointReach    its capsule
 *   ranges/<joint>            JointLimits   its range of motion as a person has set it
 *   pose/<joint>              JointPose     how it stands on the stage, away from rest
 *   parts/<part>/name         text          what a person calls the part
 *   parts/<part>/role         text          `rigid`: bindings give the whole part to one joint; `skinned`: it gets weights
 *                                           though the file gives it none
 *   parts/<part>/weld         number        the distance, in part space, within which its points are one
 *   parts/<part>/follows      PartFollows   the part whose surface it follows
 *   parts/<part>/outlines     LayerOutlines how a layer's outlines differ from its file's, and how many points it has
 *   parts/<part>/cage         SavedCage     the cage that it is, made here, behind the parts of the file
 *   parts/<part>/mesh         MeshChange    how its mesh differs from its file's, and how many points it has
 *   moved/<part>/<block>      text          how far points of a part's block are moved at rest, see movedPoints.ts
 *   pieces/<part>/<id>        PartPiece     islands split off the part
 *   shapes/<number or id>     SavedShape    what is said of a shape of the file, or a shape made of one
 *   shapeAmounts/<the same>   number        how much of it is on the character
 *   skinning                  text          `dual`; linear where it is missing
 *   dials/<id>                number        how much of a saved pose is in the pose
 *   relaxing                  RelaxedLook   how the skinned surface is relaxed; not at all where it is missing
 *   up                        text          the axis that leads up, such as `z`; y where it is missing
 *   order                     numbers       layers of a drawing from back to front; as in the file where it is missing
 *   orderRules/<id>           OrderRule     another order while a joint is turned
 *   ribbons/<id>              SavedRibbon   a ribbon along a chain that holds a part
 *   dismissed/<id>            StrayPoints   weight that was reported as stray and is meant
 *   selections/<id>           SavedSelection
 *   masks/<id>                SavedMask     amounts of points under a name, painted
 *   poses/<id>                SavedPose
 *   motions/<id>              SavedMotion
 *   moments/<id>              SavedMoment
 */
export const JOINT_SECTIONS = [
  'locks',
  'nonDeforming',
  'pairs',
  'confines',
  'reaches',
  'ranges',
  'pose',
] as const;
export type JointSection = (typeof JOINT_SECTIONS)[number];
export const ID_SECTIONS = [
  'dismissed',
  'selections',
  'masks',
  'poses',
  'motions',
  'moments',
  'orderRules',
  'ribbons',
] as const;
export type IdSection = (typeof ID_SECTIONS)[number];

export const jointPath = (section: JointSection, joint: number): string => `${section}/${joint}`;
export const partPath = (
  part: number,
  field: 'name' | 'role' | 'weld' | 'follows' | 'outlines' | 'mesh' | 'cage',
): string => `parts/${part}/${field}`;
export const piecePath = (part: number, id: string): string => `pieces/${part}/${id}`;
export const itemPath = (section: IdSection, id: string): string => `${section}/${id}`;
export const movedPath = (part: number, block: number): string => `moved/${part}/${block}`;
export const shapePath = (key: string): string => `shapes/${key}`;
export const shapeAmountPath = (key: string): string => `shapeAmounts/${key}`;
export const dialPath = (pose: string): string => `dials/${pose}`;
export const SKINNING_PATH = 'skinning';
export const RELAXING_PATH = 'relaxing';
export const UP_PATH = 'up';
export const ORDER_PATH = 'order';

/** Room for locks of all joints that weights can name. */
const MAX_JOINTS = 65536;

/** Uint8Array: 1 where a joint is locked. */
export function locksOf(values: DocumentValues): Uint8Array {
  const locks = new Uint8Array(MAX_JOINTS);
  for (const [path, value] of Object.entries(values))
    if (path.startsWith('locks/') && value === true) locks[Number(path.slice('locks/'.length))] = 1;
  return locks;
}

const isJointSection = (section: string): boolean => (JOINT_SECTIONS as readonly string[]).includes(section);

/** A path with its joint under another number. */
export function renumberPath(path: string, to: (joint: number) => number): string {
  const [section, key] = path.split('/');
  return isJointSection(section) ? `${section}/${to(Number(key))}` : path;
}

/** A value with the joints that it names under other numbers. */
export function renumberValue(path: string, value: Json, to: (joint: number) => number): Json {
  if (value === null) return value;
  const [section] = path.split('/');
  if (section === 'pairs') return typeof value === 'number' && value >= 0 ? to(value) : value;
  if (typeof value !== 'object' || Array.isArray(value)) return value;
  const held = value as Readonly<Record<string, Json>>;
  const jointOf = (joint: Json | undefined): Json =>
    typeof joint === 'number' ? to(joint) : (joint ?? null);
  const keyed = (map: Json | undefined): Json =>
    Object.fromEntries(
      Object.entries((map ?? {}) as Readonly<Record<string, Json>>).map(([joint, one]) => [
        String(to(Number(joint))),
        one,
      ]),
    );
  switch (section) {
    case 'dismissed':
    case 'orderRules':
      return { ...held, joint: jointOf(held.joint) };
    case 'poses':
      return { ...held, joint: jointOf(held.joint), joints: keyed(held.joints) };
    case 'shapes':
      return 'turn' in held
        ? {
            ...held,
            turn: {
              ...(held.turn as Readonly<Record<string, Json>>),
              joint: jointOf((held.turn as { joint: Json }).joint),
            },
          }
        : held;
    case 'ribbons':
      return {
        ...held,
        joints: (held.joints as readonly number[]).map(to),
        ...(held.ownJoints && { ownJoints: (held.ownJoints as readonly number[]).map(to) }),
      };
    case 'motions':
      return { ...held, follows: keyed(held.follows) };
    default:
      return value;
  }
}
