import type { Picture } from '@judoka/core/drawing';
import { Texture, type ShaderMaterial } from 'three';

/** What draws one picture of a drawing: as it is, and faintly. */
interface PictureMaterial {
  readonly texture: Texture;
  readonly fill: ShaderMaterial;
  readonly ghost: ShaderMaterial;
}

/** Pictures that layers are filled with; each is unpacked by the browser, and drawn once it is. */
export class PictureMaterials {
  readonly #pictures: readonly PictureMaterial[];
  #isOver = false;

  /**
   * @param material makes what draws a picture, or draws it faintly
   * @param loaded called whenever one more can be seen
   */
  constructor(
    pictures: readonly Picture[],
    material: (texture: Texture, isGhost: boolean) => ShaderMaterial,
    loaded: () => void,
  ) {
    this.#pictures = pictures.map((picture) => {
      const texture = new Texture();
      texture.flipY = false;
      void this.#load(picture, texture).then(loaded, () => undefined);
      return { texture, fill: material(texture, false), ghost: material(texture, true) };
    });
  }

  async #load({ bytes, mime }: Picture, texture: Texture): Promise<void> {
    const image = await createImageBitmap(new Blob([new Uint8Array(bytes)], { type: mime }), {
      premultiplyAlpha: 'none',
      colorSpaceConversion: 'none',
    });
    if (this.#isOver) {
      image.close();
      return;
    }
    texture.image = image;
    texture.needsUpdate = true;
  }

  /** By number of the picture. */
  list(isGhost: boolean): ShaderMaterial[] {
    return this.#pictures.map(({ fill, ghost }) => (isGhost ? ghost : fill));
  }

  dispose(): void {
    this.#isOver = true;
    for (const { texture, fill, ghost } of this.#pictures) {
      (texture.image as ImageBitmap | undefined)?.close();
      texture.dispose();
      fill.dispose();
      ghost.dispose();
    }
  }
}
