import type { Clip } from '../animation/clip.ts';
import type { Character } from '../document/character.ts';
import type { Delivery } from '../document/delivery.ts';
import type { WeightRows } from '../weights/rows.ts';
import { lossesInDae } from './dae/daeLosses.ts';
import { writeDae } from './dae/writeDae.ts';
import { type GltfContainer, writeGlb, writeGltf } from './gltf/container.ts';
import { dropUnused } from './gltf/deliver/dropUnused.ts';
import { packBuffers } from './gltf/deliver/packBuffers.ts';
import { packSkins } from './gltf/deliver/packSkins.ts';
import { placeIn } from './gltf/deliver/placeIn.ts';
import { exportCharacter, type ExportOptions } from './gltf/exportCharacter.ts';
import type { Decoders } from './gltf/readCharacter.ts';
import { deliverDrawing } from './svg/deliverDrawing.ts';
import { encodeText } from './text.ts';

/** A character on its way out. */
export interface Leaving {
  /** The source file, as it was read for `character`. */
  readonly container: GltfContainer;
  readonly character: Character;
  /** The weights to write. */
  readonly rows: readonly WeightRows[];
  /** See {@link exportCharacter}. */
  readonly options?: Omit<ExportOptions, 'exactSums'>;
  /** Of a drawing: the character as it is set up now, and its layers from back to front. */
  readonly drawn?: { readonly now: Character; readonly order: readonly number[] };
}

/** The file that goes out, and those beside it. */
export interface Delivered {
  readonly main: string;
  readonly files: ReadonlyMap<string, Uint8Array>;
}

/** The file as glTF: everything done to it but writing it down. */
export async function deliveredContainer(
  { container, character, rows, options = {}, drawn }: Leaving,
  delivery: Delivery,
  decoders: Decoders,
): Promise<GltfContainer> {
  const { exactSums, asMeshes, scale, up } = delivery;
  const clips: readonly Clip[] = options.clips ?? [];
  const written =
    drawn && asMeshes
      ? await deliverDrawing(drawn.now, rows, clips, drawn.order)
      : exportCharacter(container, character, rows, { ...options, exactSums });
  const packed = await packSkins(written, decoders, delivery);
  return placeIn(packed === written ? written : dropUnused(packed), scale, up);
}

/**
 * A character as the files that it leaves as.
 * @param name of the files, without an ending
 * @param at   when, for formats that say so
 * @throws CoreError argument-invalid where a face alone is over a limit, file-… where the source cannot be decoded
 */
export async function deliverCharacter(
  leaving: Leaving,
  delivery: Delivery,
  name: string,
  { decoders = {}, at }: { decoders?: Decoders; at?: Date } = {},
): Promise<Delivered> {
  const container = await deliveredContainer(leaving, delivery, decoders);
  if (delivery.format === 'dae') {
    const { text, pictures } = await writeDae(container, decoders, { at });
    return { main: `${name}.dae`, files: new Map([[`${name}.dae`, encodeText(text)], ...pictures]) };
  }
  const packed = delivery.isPacked ? await packBuffers(container, decoders) : container;
  if (delivery.format === 'glb')
    return { main: `${name}.glb`, files: new Map([[`${name}.glb`, writeGlb(packed)]]) };
  const { text, binary } = writeGltf(packed, `${name}.bin`);
  const files = new Map([[`${name}.gltf`, encodeText(text)]]);
  if (binary.length > 0) files.set(`${name}.bin`, binary);
  return { main: `${name}.gltf`, files };
}

/** What a character's file holds that cannot go along into a format, in sentences. */
export function deliveryLosses(container: GltfContainer, { format }: Pick<Delivery, 'format'>): string[] {
  return format === 'dae' ? lossesInDae(container.json) : [];
}
