import { CoreError, messageOf } from '@judoka/core/errors';
import { findNeighbours, type Neighbours } from '@judoka/core/mesh';
import { asGlb, characterAmong, openGlb, readCharacter, zip } from '@judoka/core/formats';
import { type Character, type ShapeSettings, withMovedPoints, withPoints } from '@judoka/core/document';
import * as Comlink from 'comlink';
import { BufferAttribute, BufferGeometry } from 'three';
import { MeshBVH, type SerializedBVH } from 'three-mesh-bvh';
import { decoders } from './decoders.ts';

/** A character read off the page's thread, with all that takes long to derive. */
export interface ReadResult {
  /** Its points are where they came. */
  readonly character: Character;
  readonly neighbours: readonly Neighbours[];
  /** Picking trees over the parts at rest, with points where they are moved to. */
  readonly trees: readonly SerializedBVH[];
}

/** A refusal as data: class and code do not cross the thread by themselves. */
export interface ReadFailure {
  readonly code: string;
  readonly message: string;
}

export type ReadAnswer =
  { readonly ok: true; readonly result: ReadResult } | { readonly ok: false; readonly failure: ReadFailure };
type Tell = (stage: string, share: number) => void;

/** More points than these are not kept: they would be in memory twice. */
const MAX_KEPT_POINTS = 400_000;
let kept: Character | undefined;

/**
 * @param bytes of the file; undefined where it was read here before and {@link hasRead} says so
 * @param keeps whether it may be read again, with other shapes
 */
async function read(
  bytes: Uint8Array | undefined,
  shapes: ShapeSettings,
  tell: Tell,
  keeps = false,
): Promise<ReadAnswer> {
  try {
    const came = bytes ? await readCharacter(openGlb(bytes), decoders, tell) : kept;
    if (!came) throw new CoreError('file-invalid', 'The file was not read yet.');
    const points = came.parts.reduce((sum, { pointCount }) => sum + pointCount, 0);
    kept = keeps && points <= MAX_KEPT_POINTS ? came : undefined;
    const character = withPoints(came, shapes);
    tell('Finding neighbours', 1);
    const neighbours = character.parts.map((part) =>
      findNeighbours({ offsets: part.polygonOffsets, points: part.polygonPoints }, part.pointCount),
    );
    const trees = withMovedPoints(character, shapes.moved).parts.map((part) => {
      const geometry = new BufferGeometry();
      geometry.setAttribute('position', new BufferAttribute(part.positions, 3));
      geometry.setIndex(new BufferAttribute(part.triangles, 1));
      return MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }), { cloneBuffers: false });
    });
    return { ok: true, result: { character, neighbours, trees } };
  } catch (error) {
    const code = error instanceof CoreError ? error.code : 'file-invalid';
    const message =
      error instanceof CoreError ? error.message : `The file could not be read (${String(error)}).`;
    return { ok: false, failure: { code, message } };
  }
}

/** Reads a file only to see whether it can be used; undefined if it can. */
async function check(bytes: Uint8Array, tell: Tell): Promise<ReadFailure | undefined> {
  try {
    await readCharacter(openGlb(asGlb(bytes)), decoders, tell);
    return undefined;
  } catch (error) {
    const code = error instanceof CoreError ? error.code : 'file-invalid';
    return { code, message: messageOf(error) };
  }
}

export type PackAnswer =
  | { readonly ok: true; readonly name: string; readonly bytes: Uint8Array<ArrayBuffer> }
  | { readonly ok: false; readonly failure: ReadFailure };

/** Files that were brought together as one to be sent, under the name of the one that is the character. */
function pack(files: ReadonlyMap<string, Uint8Array>): PackAnswer {
  try {
    const main = characterAmong(files);
    const bytes = zip(files, 0);
    return Comlink.transfer<PackAnswer>({ ok: true, name: main.replace(/^.*\//, ''), bytes }, [bytes.buffer]);
  } catch (error) {
    return { ok: false, failure: { code: 'file-unsupported', message: messageOf(error) } };
  }
}

/** Whether what was read last is still here. */
const hasRead = (): boolean => kept !== undefined;

const reader = { read, hasRead, check, pack };
export type Reader = typeof reader;
Comlink.expose(reader);
