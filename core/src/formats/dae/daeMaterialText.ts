import type { GltfContainer } from '../gltf/container.ts';
import type { GltfJson } from '../gltf/gltfJson.ts';
import { singlesText } from './numberText.ts';
import { element, escaped, type XmlIds } from './xmlText.ts';

interface TextureUse {
  readonly index: number;
  readonly texCoord?: number;
}

interface Material {
  readonly name?: string;
  readonly pbrMetallicRoughness?: {
    readonly baseColorFactor?: readonly number[];
    readonly baseColorTexture?: TextureUse;
    readonly roughnessFactor?: number;
  };
  readonly emissiveFactor?: readonly number[];
  readonly alphaMode?: string;
  readonly doubleSided?: boolean;
}

type Json = Omit<GltfJson, 'materials' | 'images'> & {
  readonly materials?: readonly Material[];
  readonly textures?: readonly { readonly source?: number }[];
  readonly images?: readonly {
    readonly name?: string;
    readonly uri?: string;
    readonly mimeType?: string;
    readonly bufferView?: number;
  }[];
};

export interface DaeMaterialText {
  readonly images: readonly string[];
  readonly effects: readonly string[];
  readonly materials: readonly string[];
  /** By material of the file: its id. */
  readonly ids: readonly string[];
  readonly pictures: ReadonlyMap<string, Uint8Array>;
}

/** The materials of a file, each as an effect with one colour or picture. */
export function daeMaterials(container: GltfContainer, ids: XmlIds): DaeMaterialText {
  const { materials = [], textures = [] } = container.json as Json;
  const pictures = new Map<string, Uint8Array>();
  const images: string[] = [];
  const imageIds = new Map<number, string | undefined>();
  const imageOf = (use: TextureUse | undefined): string | undefined => {
    const image = use && textures.at(use.index)?.source;
    if (image === undefined) return undefined;
    if (!imageIds.has(image)) {
      const file = pictureFile(container, image, ids);
      if (file) {
        pictures.set(file.name, file.bytes);
        images.push(
          element(
            'image',
            { id: file.id, name: file.id },
            element('init_from', {}, escaped(encodeURI(file.name))),
          ),
        );
      }
      imageIds.set(image, file?.id);
    }
    return imageIds.get(image);
  };
  const own = materials.map((material, i) => {
    const name = material.name ?? `material ${i + 1}`;
    const id = ids.id(name);
    return {
      id,
      name,
      effect: effectOf(material, `${id}-effect`, imageOf(material.pbrMetallicRoughness?.baseColorTexture)),
    };
  });
  return {
    ...{ images, pictures },
    effects: own.map(({ effect }) => effect),
    materials: own.map(({ id, name }) =>
      element('material', { id, name }, element('instance_effect', { url: `#${id}-effect` })),
    ),
    ids: own.map(({ id }) => id),
  };
}

function effectOf(material: Material, id: string, image: string | undefined): string {
  const {
    baseColorFactor = [1, 1, 1, 1],
    baseColorTexture,
    roughnessFactor = 1,
  } = material.pbrMetallicRoughness ?? {};
  const params = image
    ? [
        element(
          'newparam',
          { sid: `${id}-surface` },
          element('surface', { type: '2D' }, element('init_from', {}, image)),
        ),
        element(
          'newparam',
          { sid: `${id}-sampler` },
          element('sampler2D', {}, element('source', {}, `${id}-surface`)),
        ),
      ]
    : [];
  const colour = (shares: readonly number[], alpha: number): string =>
    element('color', {}, singlesText(Float32Array.from([...shares.slice(0, 3).map(encoded), alpha])));
  const diffuse = image
    ? element('texture', { texture: `${id}-sampler`, texcoord: `UVSET${baseColorTexture?.texCoord ?? 0}` })
    : colour(baseColorFactor, 1);
  const alpha = material.alphaMode === 'BLEND' ? (baseColorFactor[3] ?? 1) : 1;
  const shader = element(
    'phong',
    {},
    element('emission', {}, colour(material.emissiveFactor ?? [0, 0, 0], 1)),
    element('diffuse', {}, diffuse),
    element('shininess', {}, element('float', {}, singlesText([shininessOf(roughnessFactor)]))),
    alpha < 1 ? element('transparent', { opaque: 'A_ONE' }, element('color', {}, `0 0 0 ${alpha}`)) : '',
  );
  const sides = material.doubleSided
    ? element('extra', {}, element('technique', { profile: 'JUDOKA' }, element('double_sided', {}, '1')))
    : '';
  return element(
    'effect',
    { id },
    element('profile_COMMON', {}, params, element('technique', { sid: 'common' }, shader), sides),
  );
}

/** As screens have colours. */
const encoded = (share: number): number =>
  share <= 0.0031308 ? share * 12.92 : 1.055 * share ** (1 / 2.4) - 0.055;

const shininessOf = (roughness: number): number => 2 / Math.max(roughness, 0.05) ** 4 - 2;

function pictureFile(
  { json, buffers, images }: GltfContainer,
  index: number,
  ids: XmlIds,
): { id: string; name: string; bytes: Uint8Array } | undefined {
  const image = (json as Json).images?.at(index);
  if (!image) return undefined;
  const view = image.bufferView === undefined ? undefined : json.bufferViews?.at(image.bufferView);
  const bytes = view
    ? buffers[view.buffer].subarray(view.byteOffset ?? 0, (view.byteOffset ?? 0) + view.byteLength)
    : images.get(image.uri ?? '');
  if (!bytes) return undefined;
  const ending =
    bytes[0] === 0xff ? 'jpg' : bytes[0] === 0x89 ? 'png' : (image.mimeType?.split('/')[1] ?? 'bin');
  const id = ids.id(image.name ?? image.uri?.replace(/^.*\//, '') ?? `picture ${index + 1}`);
  return { id, name: id.toLowerCase().endsWith(`.${ending}`) ? id : `${id}.${ending}`, bytes };
}
