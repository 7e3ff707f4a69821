import { grouped } from '../math/grouped.ts';
/** Everything that the check-up can find, worst first within a severity. */
export const FINDING_CODES = [
  'skeleton-units',
  'skeleton-far',
  'no-joints',
  'broken-weights',
  'weights-in-units',
  'unweighted',
  'one-joint',
  'tied-to-root',
  'tied-to-still-joint',
  'tied-to-far-joint',
  'sums-off-one',
  'seams-disagree',
  'handles-apart',
  'too-many-influences',
  'side-without-weight',
  'rest-differs',
  'mirrored-transform',
  'inside-out',
  'doubled-faces',
  'non-manifold-edges',
  'joint-name-double',
  'joint-name-missing',
  'skeleton-asymmetry',
  'scaled-transform',
  'zero-area-faces',
  'islands-touch',
  'loose-triangles',
  'loose-points',
  'layers-gape',
  'joint-without-weight',
  'joint-on-parent',
  'helper-joints',
  'mesh-asymmetry',
  'many-joints',
  'many-vertices',
  'names-not-taken',
] as const;
export type FindingCode = (typeof FINDING_CODES)[number];

export type Severity = 'error' | 'warning' | 'note';

/** One thing that the check-up found. */
export interface Finding {
  readonly code: FindingCode;
  readonly severity: Severity;
  /** Index of the part, or of the joint, that it is about. */
  readonly part?: number;
  readonly joint?: number;
  /** How many: points, vertices, faces, edges, islands or joints, as the message says. */
  readonly count: number;
  /** Points of the part, rising, that show it. */
  readonly points?: Uint32Array;
  /** Joints that show it. */
  readonly joints?: readonly number[];
  /** What was found, a sentence. */
  readonly message: string;
  /** What a repair would do, a sentence; only where there is one. */
  readonly repair?: string;
  /** Whether a repair takes nothing away that somebody may have meant. */
  readonly safe?: boolean;
  /** Put right when the file was read: the file still says it, the weights here do not. */
  readonly settled?: boolean;
}

/** What a kind of finding is called, and what it means for the bend. */
export const FINDING_WORDS: Readonly<Record<FindingCode, { title: string; means: string }>> = {
  'skeleton-units': {
    title: 'Skeleton and mesh in different units',
    means: 'A bone pulls points that are far away from it; every bend tears the mesh apart.',
  },
  'skeleton-far': {
    title: 'Skeleton away from the mesh',
    means: 'Joints turn about places outside of the body, so limbs swing instead of bending.',
  },
  'no-joints': { title: 'No joints', means: 'Nothing can bend.' },
  'broken-weights': {
    title: 'Weights that are no weights',
    means: 'A weight that is negative or no number throws its points to infinity or inside out.',
  },
  'weights-in-units': {
    title: 'Weights in other units',
    means: 'Programs that do not scale them smear these points away from the body.',
  },
  unweighted: {
    title: 'Points without weight',
    means: 'They stay behind when the character moves.',
  },
  'one-joint': {
    title: 'All on one joint',
    means: 'Nothing bends: the body moves as one piece.',
  },
  'tied-to-root': {
    title: 'Points tied to the root',
    means: 'They stay where they are while the body around them bends.',
  },
  'tied-to-still-joint': {
    title: 'Points tied to a joint that does not deform',
    means: 'They follow a joint that is meant to move nothing.',
  },
  'tied-to-far-joint': {
    title: 'Points tied to a joint of another limb',
    means: 'They swing with a joint far away, and stay behind their own.',
  },
  'sums-off-one': {
    title: 'Sums off one',
    means: 'The points lag behind or overshoot, the more the further they are from the origin.',
  },
  'seams-disagree': {
    title: 'Vertices of one place that disagree',
    means: 'The surface cracks open there in a bend.',
  },
  'layers-gape': {
    title: 'Seams of layers that gape',
    means: 'What was hidden behind another layer shows when the joint turns.',
  },
  'handles-apart': {
    title: 'Handles away from their anchors',
    means: 'The curve bulges or folds beside the anchor in a bend.',
  },
  'too-many-influences': {
    title: 'Too many influences',
    means: 'An engine keeps the largest only, and the bend looks other than here.',
  },
  'side-without-weight': {
    title: 'A side without weight',
    means: 'One side bends and the other does not.',
  },
  'rest-differs': {
    title: 'Rest differs from the bind',
    means: 'The character is shown deformed before anything is posed.',
  },
  'mirrored-transform': {
    title: 'Mirrored transforms',
    means: 'Turns go the other way, and normals may point inward.',
  },
  'inside-out': {
    title: 'Islands inside out',
    means: 'They are lit from the wrong side, and shrink where others grow.',
  },
  'doubled-faces': {
    title: 'Doubled faces',
    means: 'Two layers in one place flicker, and come apart when their weights differ.',
  },
  'non-manifold-edges': {
    title: 'Edges with more than two faces',
    means: 'Loops stop there, and smoothing leaks from one sheet into another.',
  },
  'joint-name-double': {
    title: 'Joint names used twice',
    means: 'Clips and other programs move the wrong one of the two.',
  },
  'joint-name-missing': { title: 'Joints without a name', means: 'Clips cannot find them.' },
  'skeleton-asymmetry': {
    title: 'Left and right joints differ',
    means: 'The same turn bends the two sides at different places.',
  },
  'scaled-transform': {
    title: 'Scaled transforms',
    means: 'Children inherit the scale, and turned ones shear.',
  },
  'zero-area-faces': {
    title: 'Faces without area',
    means: 'They have no direction to be lit from, and hold smoothing up.',
  },
  'islands-touch': {
    title: 'Islands that touch',
    means: 'Pieces that lie on one another slide apart when their weights differ.',
  },
  'loose-triangles': {
    title: 'Triangles that share no points',
    means: 'Nothing holds them together: brushes, smoothing and heat stop at every edge.',
  },
  'loose-points': { title: 'Loose points', means: 'No face uses them; they are carried along for nothing.' },
  'joint-without-weight': { title: 'Joints without weight', means: 'Turning them moves nothing.' },
  'helper-joints': {
    title: 'Joints taken for helpers',
    means:
      'Bindings give them no weight. Switch their deforming on in the roster of Bind where they should have some.',
  },
  'joint-on-parent': {
    title: 'Joints on their parent',
    means: 'There is no bone between the two, so nothing says which surface is whose.',
  },
  'mesh-asymmetry': {
    title: 'Left and right of the mesh differ',
    means: 'Mirroring by place misses these points; mirroring by topology does not.',
  },
  'many-joints': { title: 'Too many joints', means: 'The engine does not take so many for one character.' },
  'many-vertices': {
    title: 'Too many vertices',
    means: 'The engine does not take so many for one character.',
  },
  'names-not-taken': {
    title: 'Names that the limits do not take',
    means: 'The engine renames them, or loses what is bound to them.',
  },
};

const RANK: Readonly<Record<Severity, number>> = { error: 0, warning: 1, note: 2 };

/** Worst first: what is still wrong before what was put right, then by severity, kind and count. */
export function byWorst(a: Finding, b: Finding): number {
  if (!a.settled !== !b.settled) return a.settled ? 1 : -1;
  if (a.severity !== b.severity) return RANK[a.severity] - RANK[b.severity];
  if (a.code !== b.code) return FINDING_CODES.indexOf(a.code) - FINDING_CODES.indexOf(b.code);
  return b.count - a.count || (a.part ?? -1) - (b.part ?? -1) || (a.joint ?? -1) - (b.joint ?? -1);
}

/** `1 point`, `1,204 points`. */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${grouped(count)} ${count === 1 ? one : many}`;
}
