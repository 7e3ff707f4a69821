import { computeNormals, normalizeAll } from '../../mesh/normals.ts';
import type { GltfContainer } from './container.ts';
import { Binary, rangeOf } from './binary.ts';
import { asNotes } from './sourceNotes.ts';
import type { GltfJson, GltfNode, GltfPrimitive, GltfSkin } from './gltfJson.ts';

/** The files that lie beside one: by the name that it uses for them. */
export type Beside = (name: string) => Uint8Array | undefined;

export interface NewPrimitive {
  readonly positions: Float32Array;
  readonly normals?: Float32Array;
  readonly coordinates?: readonly Float32Array[];
  readonly colours?: Float32Array;
  readonly triangles: Uint32Array;
  readonly material?: number;
}

export interface NewMaterial {
  readonly name: string;
  /** Linear, with its opacity. */
  readonly colour: readonly [number, number, number, number];
  readonly picture?: string;
  readonly emission?: readonly [number, number, number];
  readonly roughness: number;
  readonly isDoubleSided: boolean;
}

/** A glTF file that is made of another format's content. */
export class NewGltf {
  readonly nodes: GltfNode[] = [];
  readonly meshes: NonNullable<GltfJson['meshes']> = [];
  readonly skins: GltfSkin[] = [];
  readonly animations: NonNullable<GltfJson['animations']> = [];
  readonly binary = new Binary();
  readonly #materials: unknown[] = [];
  readonly #textures: unknown[] = [];
  readonly #images: NonNullable<GltfJson['images']> = [];
  readonly #pictures = new Map<string, number>();
  readonly #beside: Beside;
  readonly #notes: string[];

  /** @param notes told what is left out */
  constructor(beside: Beside, notes: string[]) {
    this.#beside = beside;
    this.#notes = notes;
  }

  primitive({
    positions,
    normals,
    coordinates = [],
    colours,
    triangles,
    material,
  }: NewPrimitive): GltfPrimitive {
    const attributes: Record<string, number> = {
      POSITION: this.binary.add(positions, 'VEC3', { ...rangeOf(positions) }),
      NORMAL: this.binary.add(unitNormals(normals, positions, triangles), 'VEC3'),
    };
    coordinates.forEach((set, i) => (attributes[`TEXCOORD_${i}`] = this.binary.add(set, 'VEC2')));
    if (colours) attributes.COLOR_0 = this.binary.add(colours, 'VEC4');
    const indices = this.binary.add(triangles, 'SCALAR');
    return { attributes, indices, ...(material !== undefined && { material }) };
  }

  material({ name, colour, picture, emission, roughness, isDoubleSided }: NewMaterial): number {
    const texture = picture === undefined ? undefined : this.#texture(picture, name);
    const shows = emission?.some((share) => share > 0);
    return (
      this.#materials.push({
        name,
        pbrMetallicRoughness: {
          baseColorFactor: colour,
          metallicFactor: 0,
          roughnessFactor: roughness,
          ...(texture !== undefined && { baseColorTexture: { index: texture } }),
        },
        ...(shows && { emissiveFactor: emission }),
        ...(colour[3] < 1 && { alphaMode: 'BLEND' }),
        ...(isDoubleSided && { doubleSided: true }),
      }) - 1
    );
  }

  /** A picture that lies beside the file, once however often it is used; undefined for what glTF cannot show. */
  #texture(name: string, by: string): number | undefined {
    const known = this.#pictures.get(name);
    if (known !== undefined) return known;
    const bytes = this.#beside(name);
    const mimeType = bytes && pictureType(bytes);
    if (!bytes || !mimeType) {
      const why = bytes ? 'is neither PNG nor JPEG' : 'is not beside the file';
      this.#notes.push(`The picture “${name.slice(-80)}” of “${by}” ${why} and is left out.`);
      return undefined;
    }
    const own = name.replace(/^.*[/\\]/, '');
    this.#images.push({ ...{ name: own }, mimeType, bufferView: this.binary.addView(bytes) });
    const index = this.#textures.push({ source: this.#images.length - 1 }) - 1;
    this.#pictures.set(name, index);
    return index;
  }

  /** @param roots nodes of the scene */
  finish(roots: readonly number[]): GltfContainer {
    const some = (name: string, list: readonly unknown[]): object =>
      list.length > 0 ? { [name]: list } : {};
    const json: GltfJson = {
      asset: { version: '2.0' },
      scene: 0,
      scenes: [{ nodes: [...roots] }],
      nodes: this.nodes,
      ...some('meshes', this.meshes),
      ...some('skins', this.skins),
      ...some('animations', this.animations),
      ...some('materials', this.#materials),
      ...some('textures', this.#textures),
      ...some('images', this.#images),
      ...asNotes(this.#notes),
      accessors: this.binary.accessors,
      bufferViews: this.binary.views,
      buffers: [{ byteLength: this.binary.length }],
    };
    return { json, buffers: [this.binary.bytes()], images: new Map() };
  }
}

/** Normals of length one, as the format wants them; those of the faces where a file has none, or nothing. */
function unitNormals(
  normals: Float32Array | undefined,
  positions: Float32Array,
  triangles: Uint32Array,
): Float32Array {
  const own = normals?.slice() ?? new Float32Array(positions.length);
  normalizeAll(own);
  let faces: Float32Array | undefined;
  for (let i = 0; i < own.length; i += 3) {
    if (own[i] !== 0 || own[i + 1] !== 0 || own[i + 2] !== 0) continue;
    faces ??= computeNormals(positions, triangles);
    own.set(faces.subarray(i, i + 3), i);
    if (own[i] === 0 && own[i + 1] === 0 && own[i + 2] === 0) own[i + 1] = 1;
  }
  return own;
}

function pictureType(bytes: Uint8Array): string | undefined {
  if (bytes[0] === 0x89 && bytes[1] === 0x50 && bytes[2] === 0x4e && bytes[3] === 0x47) return 'image/png';
  return bytes[0] === 0xff && bytes[1] === 0xd8 ? 'image/jpeg' : undefined;
}
