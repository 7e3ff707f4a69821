import type { Drawing } from '../drawing/drawing.ts';
import type { Morph } from '../mesh/morphs.ts';
import type { Part } from '../mesh/part.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import type { Clip } from '../animation/clip.ts';
import type { WeightRows } from '../weights/rows.ts';
import type { PlainNode } from '../skeleton/plainNodes.ts';
import type { SeamWeights } from './seamWeights.ts';

/** A part as it came from a glTF file, with what is needed to put its weights back. */
export interface CharacterPart extends Part {
  readonly source: PartSource;
  /**
   * Float32Array, 16·(jointCount + 1): inverse bind matrix a skeleton joint (part space → joint), then where the part
   * stands at rest, for unweighted points.
   */
  readonly inverseBinds: Float32Array;
  /**
   * `skinned` has weights: of the file, or because a person has said so, or because nothing in the file has any. `fixed`
   * hangs on a node and cannot be painted. A `cage` was made here for others to follow: it has weights, is not measured, and
   * leaves with no file.
   */
  readonly role: 'skinned' | 'fixed' | 'cage';
}

export interface PartSource {
  readonly mesh: number;
  readonly primitive: number;
  readonly node: number;
  /** The file's skin, or -1: a part without one gets a skin when it is exported with weights. */
  readonly skin: number;
  /** The node itself or the nearest above it that is a joint or could be one (see PlainNode); -1 for none. */
  readonly hangsOn?: number;
  /** Skeleton joint of each slot of the skin's joint list. */
  readonly jointOfSlot: readonly number[];
}

/** What a file's own weights were like before anything was put right. */
export interface SourceWeights {
  /** Least and greatest sum over the part's vertices; both 0 for a part without weights. */
  readonly sumMin: number;
  readonly sumMax: number;
  readonly maxInfluences: number;
  /** Vertices whose sum was not one and was scaled to one. */
  readonly scaled: number;
  /** Vertices with a weight that is negative or not a number; it was taken as nothing. */
  readonly broken: number;
  /** Float32Array, vertexCount: each vertex's own sum, over weights that are positive numbers. Empty without weights. */
  readonly sums: Float32Array;
  /** Uint8Array, vertexCount: 1 where a weight was negative or no number. Empty without weights. */
  readonly brokenVertices: Uint8Array;
  /** How far a sum may be off one before it matters: whole-number weights cannot say it exactly. */
  readonly sumTolerance: number;
  /** Points whose vertices disagree across a seam: the row is that of the first of them. */
  readonly seams: SeamWeights;
  /**
   * Uint8Array, vertexCount: 1 where the row says exactly what the file says, so that export leaves it alone.
   */
  readonly asCame: Uint8Array;
}

export interface Character {
  readonly parts: readonly CharacterPart[];
  readonly skeleton: Skeleton;
  /** The file's own weights, one a part, summing to one a point (or empty). */
  readonly rows: readonly WeightRows[];
  readonly sourceWeights: readonly SourceWeights[];
  readonly clips: readonly Clip[];
  /** Shapes of the file, in its order. */
  readonly morphs: readonly Morph[];
  /** Nodes of the file that could be joints and are none. */
  readonly plainNodes: readonly PlainNode[];
  readonly materialCount: number;
  /** What a person should know about how the file was read, in sentences. */
  readonly notes: readonly string[];
  /** Of a flat character: its drawing, whose layers are the parts, in order. */
  readonly drawing?: Drawing;
}
