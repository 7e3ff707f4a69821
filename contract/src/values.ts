import { MAX_ADDED_POINTS } from '@judoka/core/drawing';
import { MAX_ADDED_MESH_POINTS } from '@judoka/core/mesh';
import {
  MAX_CAGE_POINTS,
  MAX_CONTROLS,
  MAX_OWN_JOINTS,
  MAX_RELAX_PASSES,
  MIN_CONTROLS,
  MIN_OWN_JOINTS,
} from '@judoka/core/deform';
import {
  MAX_CAGE_TEXT,
  MAX_MOVED_TEXT,
  MAX_RELAX_BORDER,
  MAX_SHAPE_AMOUNT,
  UP_DIRECTIONS,
  type Json,
  type ValueLine,
} from '@judoka/core/document';
import { z } from 'zod';
import { MAX_DIAL } from '@judoka/core/skeleton';
import { jointNumber, jointPose, numberKey, pose } from './joints.ts';
import { MAX_JOINTS, MAX_LAYER_POINTS, MAX_PARTS } from './limits.ts';
import { givenName } from './text.ts';

/** Points and vertices that a part may have. */
const MAX_MESH_VERTICES = 20_000_000;
const MAX_RIBBON_JOINTS = 256;
/** Shapes that a file may have. */
const MAX_SHAPES = 65_535;
const amount = z.number().min(0).max(1);
const attachment = z.uuid();
const savedAt = z.number().int().min(0);
const points = z.array(z.number().int().min(0)).min(1);
const partner = z
  .number()
  .int()
  .min(-1)
  .max(MAX_JOINTS - 1);
/** Least and greatest angle of a joint's range, in degrees. */
const angles = z.tuple([z.number().min(-360).max(0), z.number().min(0).max(360)]).readonly();

const layerNumber = z
  .number()
  .int()
  .min(0)
  .max(MAX_PARTS - 1);

/** What may stand at the paths of each section; see core's paths.ts. */
const BY_JOINT = {
  locks: z.literal(true),
  nonDeforming: z.literal(true),
  pairs: partner,
  confines: z.uuid(),
  reaches: z.object({
    inner: z.number().min(0).max(1e9),
    outer: z.number().min(0).max(1e9),
    strength: amount,
    falloff: z.enum(['smooth', 'round', 'linear', 'sharp', 'flat']).default('smooth'),
  }),
  ranges: z.object({ bend: angles, side: angles, twist: angles }),
  pose: jointPose,
};

const BY_ID = {
  dismissed: z.object({
    part: layerNumber,
    joint: jointNumber,
    points: points.max(200_000),
    savedAt: savedAt.optional(),
  }),
  selections: z.object({ name: givenName, attachment, savedAt }),
  masks: z.object({ name: givenName, attachment, savedAt }),
  poses: z.object({
    name: givenName,
    joints: pose,
    picture: attachment.nullable(),
    joint: jointNumber.nullable(),
    folder: givenName.optional(),
    savedAt,
  }),
  dials: z.number().min(-MAX_DIAL).max(MAX_DIAL),
  orderRules: z.object({
    layer: layerNumber,
    isOver: z.boolean(),
    other: layerNumber,
    joint: jointNumber,
    angle: z
      .number()
      .min(-180)
      .max(180)
      .refine((angle) => angle !== 0),
    savedAt,
  }),
  ribbons: z.strictObject({
    name: givenName,
    part: layerNumber,
    joints: z.array(jointNumber).min(2, 'a ribbon takes two joints or more').max(MAX_RIBBON_JOINTS),
    controls: z.number().int().min(MIN_CONTROLS).max(MAX_CONTROLS),
    width: z.number().positive().max(1e9),
    fall: z.number().min(0).max(10),
    isStartHeld: z.boolean(),
    isEndHeld: z.boolean(),
    sharesTwist: z.boolean(),
    keepsVolume: z.boolean(),
    ownJoints: z
      .array(jointNumber)
      .min(MIN_OWN_JOINTS, 'a ribbon takes two joints of its own or more')
      .max(MAX_OWN_JOINTS)
      .optional(),
    mask: z.uuid().optional(),
    isOff: z.literal(true).optional(),
    savedAt,
  }),
  moments: z.object({ name: givenName, edit: z.uuid(), savedAt }),
  motions: z.object({ name: givenName, attachment, follows: z.record(numberKey, partner), savedAt }),
};

const place = z.number().min(-1e9).max(1e9);
const pointNumber = z.number().int().min(0).max(MAX_LAYER_POINTS);
const outlines = z
  .object({
    from: pointNumber,
    points: pointNumber,
    outlines: z.record(
      numberKey,
      z.object({
        segments: z
          .string()
          .regex(/^[LC]+$/)
          .max(MAX_LAYER_POINTS),
        points: z.array(pointNumber).max(MAX_LAYER_POINTS),
      }),
    ),
    places: z.record(numberKey, z.tuple([place, place])),
  })
  .refine(({ from, points }) => points >= from && points <= from + MAX_ADDED_POINTS, {
    message: `a layer takes at most ${MAX_ADDED_POINTS} added points`,
  });

const vertexNumber = z.number().int().min(0).max(MAX_MESH_VERTICES);
const mesh = z
  .strictObject({
    from: vertexNumber,
    points: vertexNumber,
    vertices: z
      .array(z.tuple([vertexNumber, vertexNumber, amount, vertexNumber]))
      .max(2 * MAX_ADDED_MESH_POINTS),
    removed: z.array(vertexNumber).max(MAX_MESH_VERTICES),
    faces: z.array(vertexNumber).max(12 * MAX_ADDED_MESH_POINTS),
  })
  .refine(({ from, points }) => points >= from && points <= from + MAX_ADDED_MESH_POINTS, {
    message: `a part takes at most ${MAX_ADDED_MESH_POINTS} added points`,
  });
const base64 = z.string().regex(/^[A-Za-z0-9+/]+=*$/);
/** Records; see core's movedPoints.ts. */
const movedBlock = base64.max(MAX_MOVED_TEXT);
const cage = z.strictObject({
  like: layerNumber,
  points: z.number().int().min(4).max(MAX_CAGE_POINTS),
  places: base64.max(MAX_CAGE_TEXT.places),
  quads: base64.max(MAX_CAGE_TEXT.quads),
});

const piece = z.object({ name: givenName, seeds: points.max(20_000), savedAt: savedAt.optional() });
const PART_FIELDS = {
  name: givenName,
  role: z.enum(['rigid', 'skinned']),
  weld: z.number().positive().max(1e9),
  follows: z.strictObject({
    driver: layerNumber,
    mask: z.uuid().optional(),
    isOff: z.literal(true).optional(),
  }),
  outlines,
  mesh,
  cage,
};

/** The schema of what may stand at a path; undefined for a path that does not exist. */
export function schemaOfPath(path: string): z.ZodType | undefined {
  const [section, key, field, ...rest] = path.split('/') as [string, string?, string?, ...string[]];
  if (rest.length > 0) return undefined;
  if (path === 'skinning') return z.literal('dual');
  if (path === 'relaxing') return relaxedLook;
  if (path === 'order') return z.array(layerNumber).max(MAX_PARTS);
  if (path === 'up') return z.enum(UP_DIRECTIONS);
  const isNumber = numberKey.safeParse(key).success;
  if (Object.hasOwn(BY_JOINT, section))
    return isNumber && field === undefined && Number(key) < MAX_JOINTS
      ? BY_JOINT[section as keyof typeof BY_JOINT]
      : undefined;
  if (Object.hasOwn(BY_ID, section))
    return z.uuid().safeParse(key).success && field === undefined
      ? BY_ID[section as keyof typeof BY_ID]
      : undefined;
  if (section === 'shapes' || section === 'shapeAmounts') {
    if (field !== undefined || !(isNumber || z.uuid().safeParse(key).success)) return undefined;
    if (section === 'shapeAmounts') return z.number().min(-MAX_SHAPE_AMOUNT).max(MAX_SHAPE_AMOUNT);
    return isNumber ? fileShape : madeShape;
  }
  if (section === 'moved') return isNumber && numberKey.safeParse(field).success ? movedBlock : undefined;
  if (section === 'pieces') return isNumber && z.uuid().safeParse(field).success ? piece : undefined;
  if (section === 'parts' && isNumber && field !== undefined && Object.hasOwn(PART_FIELDS, field))
    return PART_FIELDS[field as keyof typeof PART_FIELDS];
  return undefined;
}

const angle = z.number().min(-180).max(180);
const turn = z.strictObject({
  joint: jointNumber,
  axis: z.enum(['x', 'y', 'z']),
  from: angle,
  to: angle,
  isSmooth: z.literal(true).optional(),
});
const fileShape = z.strictObject({
  turn: turn.optional(),
  name: givenName.optional(),
  mask: z.uuid().optional(),
  isLeftOut: z.literal(true).optional(),
});
const madeShape = z.strictObject({
  turn: turn.optional(),
  name: givenName,
  mask: z.uuid().optional(),
  isLeftOut: z.literal(true).optional(),
  of: z.number().int().min(0).max(MAX_SHAPES),
  savedAt,
});

const relaxedLook = z.strictObject({
  passes: z.number().int().min(1).max(MAX_RELAX_PASSES),
  strength: amount,
  keepsVolume: z.boolean(),
  mask: z.uuid().optional(),
  selection: z.uuid().optional(),
  border: z.number().int().min(0).max(MAX_RELAX_BORDER).optional(),
});

const json: z.ZodType<Json> = z.json();

/** What an edit does to values. What it puts is checked by path; what it takes away was there. */
export const valueChange = z
  .array(z.object({ path: z.string().max(120), before: json, after: json }))
  .max(20_000)
  .superRefine((lines, context) => {
    const seen = new Set<string>();
    lines.forEach((line, i) => {
      const issue = problemOf(line, seen);
      if (issue) context.addIssue({ code: 'custom', path: [i, ...issue.path], message: issue.message });
      seen.add(line.path);
    });
  });

function problemOf(
  { path, after }: ValueLine,
  seen: ReadonlySet<string>,
): { path: PropertyKey[]; message: string } | undefined {
  const schema = schemaOfPath(path);
  if (!schema) return { path: ['path'], message: `there is no “${path}”` };
  if (seen.has(path)) return { path: ['path'], message: `“${path}” stands twice` };
  if (after === null) return undefined;
  const parsed = schema.safeParse(after);
  if (parsed.success) return undefined;
  const { path: inside, message } = parsed.error.issues[0];
  return { path: ['after', ...inside], message: `${path}: ${message}` };
}

/** A document's values as they are sent: all that were let in once. */
export const documentValues = z.record(z.string(), json);
