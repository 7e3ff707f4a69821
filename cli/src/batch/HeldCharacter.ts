import { basename, extname } from 'node:path';
import type { Character } from '@judoka/core/document';
import { exportCharacter, readCharacter, type ExportOptions, type GltfContainer } from '@judoka/core/formats';
import { copyRows, type WeightRows } from '@judoka/core/weights';
import { decoders, openFile } from '../files.ts';

/** A character on its way through steps: its file, what was read of it, and its weights as they are now. */
export class HeldCharacter {
  /** Of its file, without folder and ending. */
  readonly name: string;
  #container: GltfContainer;
  #character: Character;
  rows: readonly WeightRows[];
  /** The weights as they came. */
  readonly came: readonly WeightRows[];

  private constructor(name: string, container: GltfContainer, character: Character) {
    this.name = name;
    this.#container = container;
    this.#character = character;
    this.rows = character.rows.map(copyRows);
    this.came = character.rows;
  }

  static async open(path: string): Promise<HeldCharacter> {
    const container = openFile(path);
    const name = basename(path, extname(path));
    return new HeldCharacter(name, container, await readCharacter(container, decoders));
  }

  get container(): GltfContainer {
    return this.#container;
  }

  /** As it was read; its weights now are `rows`. */
  get character(): Character {
    return this.#character;
  }

  /** The character with the weights that it has now. */
  get now(): Character {
    return { ...this.#character, rows: this.rows };
  }

  /** Takes in what a step did to more than the weights: as if it had been written and read again. */
  async settle(options: ExportOptions = {}): Promise<void> {
    this.#container = exportCharacter(this.#container, this.#character, this.rows, options);
    this.#character = await readCharacter(this.#container, decoders);
    this.rows = this.#character.rows.map(copyRows);
  }
}
