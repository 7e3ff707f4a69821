import {
  keptPoses,
  packFrame,
  selectionsHeader,
  unpackFrame,
  type KeptPose,
  type PoseChange,
} from '@judoka/contract';
import type { Pose } from '@judoka/core/skeleton';
import { request, requestBytes } from '../api/http.ts';

export interface SavedSelection {
  readonly id: string;
  readonly name: string;
  readonly points: ReadonlyMap<number, Uint32Array>;
}

/** Poses and selections that belong to a character under names. The server has them; here is a copy. */
export class Kept {
  readonly #path: string;
  readonly #onChange: () => void;
  poses: readonly KeptPose[] = [];
  selections: readonly SavedSelection[] = [];

  constructor(character: string, onChange: () => void) {
    this.#path = `/api/characters/${character}`;
    this.#onChange = onChange;
  }

  async load(): Promise<void> {
    await Promise.all([this.#loadPoses(), this.#loadSelections()]);
  }

  /** @param joint the joint that the pose belongs to, if any */
  async keepPose(name: string, joints: Pose, picture: string | null, joint: number | null): Promise<void> {
    await this.#send('POST', 'poses', { name, joints, picture, joint });
    await this.#loadPoses();
  }

  async changePose(id: string, change: PoseChange): Promise<void> {
    await this.#send('PATCH', `poses/${id}`, change);
    await this.#loadPoses();
  }

  async removePose(id: string): Promise<void> {
    await this.#send('DELETE', `poses/${id}`);
    await this.#loadPoses();
  }

  /** @returns the new selection's id */
  async keepSelection(name: string, points: ReadonlyMap<number, Uint32Array>): Promise<string> {
    const blobs = [...points.values()].map((list) => new Uint8Array(list.slice().buffer));
    const response = await request(`${this.#path}/selections`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream' },
      body: packFrame({ name, parts: [...points.keys()] }, blobs),
    });
    const { id } = (await response.json()) as { id: string };
    await this.#loadSelections();
    return id;
  }

  async renameSelection(id: string, name: string): Promise<void> {
    await this.#send('PATCH', `selections/${id}`, { name });
    await this.#loadSelections();
  }

  async removeSelection(id: string): Promise<void> {
    await this.#send('DELETE', `selections/${id}`);
    await this.#loadSelections();
  }

  async #send(method: string, path: string, body?: unknown): Promise<void> {
    await request(`${this.#path}/${path}`, {
      method,
      headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  }

  async #loadPoses(): Promise<void> {
    const response = await request(`${this.#path}/poses`);
    this.poses = keptPoses.parse(await response.json()).poses;
    this.#onChange();
  }

  async #loadSelections(): Promise<void> {
    const { header, blobs } = unpackFrame(await requestBytes(`${this.#path}/selections`));
    let at = 0;
    this.selections = selectionsHeader.parse(header).selections.map(({ id, name, parts }) => ({
      id,
      name,
      points: new Map(
        parts.map((part): [number, Uint32Array] => [part, new Uint32Array(blobs[at++].slice().buffer)]),
      ),
    }));
    this.#onChange();
  }
}
