import { decodeMask, decodeSelection, encodeMask, encodeSelection } from '@judoka/contract';
import {
  type CharacterPart,
  dialPath,
  type DocumentSettings,
  itemPath,
  jointPath,
  type Json,
  sameJson,
  type SavedPose,
  withAddedAmounts,
  type WithId,
} from '@judoka/core/document';
import type { Pose } from '@judoka/core/skeleton';
import { addAttachment, attachmentBytes } from './attachments.ts';
import type { CommitOptions } from './DocumentLog.ts';
import type { Events } from './events.ts';

export interface NamedSelection {
  readonly id: string;
  readonly name: string;
  readonly points: ReadonlyMap<number, Uint32Array>;
}

/** How much each point has, 0 to 1. */
export interface NamedMask {
  readonly id: string;
  readonly name: string;
  /** Another for every change of it. */
  readonly attachment: string;
  /** By part: Float32Array, one a point; nothing where a part is missing. */
  readonly amounts: ReadonlyMap<number, Float32Array>;
}

/** How much of a part's points a mask takes; nothing where the part has others than it was painted on. */
export function maskAmounts(
  { amounts }: Pick<NamedMask, 'amounts'>,
  part: number,
  shape: Pick<CharacterPart, 'added' | 'pointCount'>,
): Float32Array {
  const own = amounts.get(part);
  const held = own && withAddedAmounts(own, shape);
  return held?.length === shape.pointCount ? held : new Float32Array(shape.pointCount);
}

/** The document whose things they are. */
interface SavedDocument {
  readonly id: string;
  readonly settings: DocumentSettings;
  readonly events: Pick<Events<string>, 'publish' | 'subscribe'>;
  setValues(label: string, wanted: Readonly<Record<string, Json>>, options?: CommitOptions): void;
  readonly notifyError: (error: unknown) => void;
}

/** Poses and selections that the character keeps under names. */
export class SavedItems {
  readonly #document: SavedDocument;
  /** Points of selections by attachment, as far as they have come. */
  readonly #points = new Map<string, ReadonlyMap<number, Uint32Array>>();
  /** Amounts of masks, likewise. */
  readonly #amounts = new Map<string, ReadonlyMap<number, Float32Array>>();
  readonly #asked = new Set<string>();

  constructor(document: SavedDocument) {
    this.#document = document;
    document.events.subscribe('values', () => this.#fetchAll());
    this.#fetchAll();
  }

  get poses(): readonly WithId<SavedPose>[] {
    return this.#document.settings.poses;
  }

  get selections(): readonly NamedSelection[] {
    return this.#document.settings.selections.flatMap(({ id, name, attachment }) => {
      const points = this.#points.get(attachment);
      return points ? [{ id, name, points }] : [];
    });
  }

  /** Masks, as far as their amounts have come. */
  get masks(): readonly NamedMask[] {
    return this.#document.settings.masks.flatMap(({ id, name, attachment }) => {
      const amounts = this.#amounts.get(attachment);
      return amounts ? [{ id, name, attachment, amounts }] : [];
    });
  }

  /**
   * @param also what else the same edit says, of the new mask's id
   * @returns the id
   */
  async saveMask(
    name: string,
    amounts: ReadonlyMap<number, Float32Array>,
    also?: { readonly label: string; readonly values: (id: string) => Readonly<Record<string, Json>> },
  ): Promise<string> {
    const id = crypto.randomUUID();
    const named = { name, savedAt: Date.now() };
    await this.#setMask(also?.label ?? `New mask ${name}`, id, named, amounts, also?.values(id));
    return id;
  }

  /** Masks on their way into an edit that others write: their values, and the attachments that these name. */
  async prepareMasks(
    wanted: readonly { readonly name: string; readonly amounts: ReadonlyMap<number, Float32Array> }[],
  ): Promise<{ id: string; name: string; attachment: string; value: Json }[]> {
    return Promise.all(
      wanted.map(async ({ name, amounts }, i) => {
        const attachment = await this.#attachMask(amounts);
        const value = { name, savedAt: Date.now() + i, attachment };
        return { id: crypto.randomUUID(), name, attachment, value };
      }),
    );
  }

  async #attachMask(amounts: ReadonlyMap<number, Float32Array>): Promise<string> {
    const bytes = encodeMask(amounts);
    const attachment = await addAttachment(this.#document.id, bytes);
    this.#amounts.set(attachment, decodeMask(bytes));
    return attachment;
  }

  /** Other amounts of a mask, as one edit. */
  async changeMask(id: string, label: string, amounts: ReadonlyMap<number, Float32Array>): Promise<void> {
    const held = this.#document.settings.masks.find((one) => one.id === id);
    if (held) await this.#setMask(label, id, { name: held.name, savedAt: held.savedAt }, amounts);
  }

  async #setMask(
    label: string,
    id: string,
    named: { readonly name: string; readonly savedAt: number },
    amounts: ReadonlyMap<number, Float32Array>,
    also: Readonly<Record<string, Json>> = {},
  ): Promise<void> {
    const attachment = await this.#attachMask(amounts);
    this.#document.setValues(
      label,
      { [itemPath('masks', id)]: { ...named, attachment }, ...also },
      { attachments: [attachment] },
    );
  }

  renameMask(id: string, name: string): void {
    const held = this.#document.settings.masks.find((one) => one.id === id);
    if (!held) return;
    const { id: _, ...rest } = held;
    this.#document.setValues(`Rename mask ${held.name}`, { [itemPath('masks', id)]: { ...rest, name } });
  }

  removeMask(id: string): void {
    const name = this.#document.settings.masks.find((one) => one.id === id)?.name ?? '';
    this.#document.setValues(`Remove mask ${name}`, { [itemPath('masks', id)]: null });
  }

  /**
   * @param picture a small PNG of it, if there is one
   * @param joint the joint that the pose belongs to, if any
   */
  async savePose(
    name: string,
    joints: Pose,
    picture: Uint8Array<ArrayBuffer> | null,
    joint: number | null,
  ): Promise<void> {
    const attachment = picture && (await addAttachment(this.#document.id, picture));
    const pose: SavedPose = { name, joints, picture: attachment, joint, savedAt: Date.now() };
    const id = crypto.randomUUID();
    this.#document.setValues(
      `Save pose ${name}`,
      { [itemPath('poses', id)]: pose as unknown as Json, ...this.#wholly(id, joints) },
      { attachments: attachment ? [attachment] : [] },
    );
  }

  /** Where the pose on the stage is a saved one, all of that is in it, and nothing of others. */
  #wholly(id: string, joints: Pose): Record<string, Json> {
    const { dials, pose } = this.#document.settings;
    const isShown = sameJson(joints as unknown as Json, pose as unknown as Json);
    if (!isShown) return {};
    const none = Object.keys(dials).map((other) => [dialPath(other), null] as const);
    return { ...Object.fromEntries(none), [dialPath(id)]: 1 };
  }

  /** Keeps poses of the file, and others that come in numbers; they have no pictures. */
  addPoses(label: string, poses: readonly Pick<SavedPose, 'name' | 'joints' | 'joint' | 'folder'>[]): void {
    const now = Date.now();
    const paths = poses.map((pose, i): [string, Json] => [
      itemPath('poses', crypto.randomUUID()),
      { ...pose, picture: null, savedAt: now + i } as unknown as Json,
    ]);
    this.#document.setValues(label, Object.fromEntries(paths));
  }

  async changePose(
    id: string,
    {
      picture,
      ...change
    }: Partial<Pick<SavedPose, 'name' | 'joints' | 'joint' | 'folder'>> & {
      readonly picture?: Uint8Array<ArrayBuffer> | null;
    },
  ): Promise<void> {
    const held = this.poses.find((pose) => pose.id === id);
    if (!held) return;
    const attachment = picture ? await addAttachment(this.#document.id, picture) : held.picture;
    const { id: _, ...rest } = held;
    const wanted: SavedPose = { ...rest, ...change, picture: attachment };
    const pose = Object.fromEntries(Object.entries(wanted).filter(([, value]) => value !== undefined));
    const label = change.name ? `Rename pose ${held.name}` : `Change pose ${held.name}`;
    this.#document.setValues(
      label,
      {
        [itemPath('poses', id)]: pose,
        ...(change.joints ? this.#wholly(id, change.joints) : {}),
      },
      { attachments: picture && attachment ? [attachment] : [] },
    );
  }

  removePose(id: string): void {
    const name = this.poses.find((pose) => pose.id === id)?.name ?? '';
    this.#document.setValues(`Remove pose ${name}`, {
      [itemPath('poses', id)]: null,
      [dialPath(id)]: null,
    });
  }

  /** @returns the new selection's id */
  async saveSelection(name: string, points: ReadonlyMap<number, Uint32Array>): Promise<string> {
    const attachment = await addAttachment(this.#document.id, encodeSelection(points));
    this.#points.set(attachment, points);
    const id = crypto.randomUUID();
    this.#document.setValues(
      `Save selection ${name}`,
      { [itemPath('selections', id)]: { name, attachment, savedAt: Date.now() } },
      { attachments: [attachment] },
    );
    return id;
  }

  renameSelection(id: string, name: string): void {
    const held = this.#document.settings.selections.find((one) => one.id === id);
    if (!held) return;
    const { id: _, ...rest } = held;
    this.#document.setValues(`Rename selection ${held.name}`, {
      [itemPath('selections', id)]: { ...rest, name },
    });
  }

  /** Takes a selection away; joints that were confined to it are free again. */
  removeSelection(id: string): void {
    const { selections, confines } = this.#document.settings;
    const name = selections.find((one) => one.id === id)?.name ?? '';
    const freed = Object.entries(confines).flatMap(([joint, to]) =>
      to === id ? [[jointPath('confines', Number(joint)), null]] : [],
    );
    this.#document.setValues(`Remove selection ${name}`, {
      [itemPath('selections', id)]: null,
      ...(Object.fromEntries(freed) as Record<string, null>),
    });
  }

  #fetchAll(): void {
    const { selections, masks } = this.#document.settings;
    this.#fetch(selections, this.#points, decodeSelection);
    this.#fetch(masks, this.#amounts, decodeMask);
  }

  #fetch<Held>(
    items: readonly { readonly attachment: string }[],
    held: Map<string, Held>,
    decode: (bytes: Uint8Array) => Held,
  ): void {
    for (const { attachment } of items) {
      if (held.has(attachment) || this.#asked.has(attachment)) continue;
      this.#asked.add(attachment);
      attachmentBytes(this.#document.id, attachment)
        .then((bytes) => {
          held.set(attachment, decode(bytes));
          this.#document.events.publish('values');
        })
        .catch(this.#document.notifyError)
        .finally(() => this.#asked.delete(attachment));
    }
  }
}
