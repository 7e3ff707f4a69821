import { numbersOf } from '../numbers.ts';
import type { XmlElement } from '../xml/xmlTree.ts';
import { all, find, placeOf, type DaeTree } from './daeTree.ts';

/** The parts of a glTF material that a COLLADA effect can say. */
export interface DaeMaterial {
  readonly name: string;
  readonly colour: readonly [number, number, number, number];
  /** Of an image's file; the picture is multiplied by nothing then. */
  readonly picture?: string;
  readonly emission: readonly [number, number, number];
  /** 0 to 1. */
  readonly roughness: number;
  readonly isDoubleSided: boolean;
}

const SHADERS = ['phong', 'lambert', 'blinn', 'constant'];

/** Reads a `<material>` by its effect's common profile. */
export function readMaterial(tree: DaeTree, material: XmlElement): DaeMaterial {
  const effect = tree.target(find(material, 'instance_effect')?.attributes.url);
  const profile = find(effect, 'profile_COMMON');
  const technique = find(profile, 'technique');
  const shader = technique?.children.find(({ name }) => SHADERS.includes(name));
  const isConstant = shader?.name === 'constant';
  const diffuse = find(shader, isConstant ? 'emission' : 'diffuse');
  const picture = pictureOf(tree, profile, diffuse);
  const colour = colourOf(diffuse) ?? [0.8, 0.8, 0.8, 1];
  const emission = (isConstant ? undefined : colourOf(find(shader, 'emission'))) ?? [0, 0, 0, 1];
  const shininess = numberOf(find(shader, 'shininess'));
  return {
    name: material.attributes.name ?? material.attributes.id ?? 'material',
    colour: [...(picture === undefined ? colour : [1, 1, 1]).slice(0, 3), opacityOf(shader)] as never,
    ...(picture !== undefined && { picture }),
    emission: [emission[0], emission[1], emission[2]],
    // The exponent of a highlight as the width of one: Karis 2013, the reverse of α² = 2 / (n + 2).
    roughness: shininess === undefined || shininess <= 1 ? 1 : Math.sqrt(Math.sqrt(2 / (shininess + 2))),
    isDoubleSided: isDoubleSided(effect),
  };
}

function colourOf(channel: XmlElement | undefined): number[] | undefined {
  const colour = find(channel, 'color');
  if (!colour) return undefined;
  const numbers = [...numbersOf(colour.bytes, () => placeOf(colour))].map((share) =>
    Math.min(1, Math.max(0, share)),
  );
  if (numbers.length < 3) return undefined;
  return [linear(numbers[0]), linear(numbers[1]), linear(numbers[2]), numbers[3] ?? 1];
}

const linear = (share: number): number =>
  share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;

function numberOf(channel: XmlElement | undefined): number | undefined {
  const value = find(channel, 'float');
  return value ? numbersOf(value.bytes, () => placeOf(value)).at(0) : undefined;
}

/** How much of the material is there (COLLADA 1.4.1, “Determining Transparency”). */
function opacityOf(shader: XmlElement | undefined): number {
  const transparent = find(shader, 'transparent');
  const transparency = numberOf(find(shader, 'transparency')) ?? 1;
  const mode = transparent?.attributes.opaque ?? 'A_ONE';
  const colour = find(transparent, 'color');
  const [r = 1, g = 1, b = 1, a = 1] = colour ? [...numbersOf(colour.bytes, () => placeOf(colour))] : [];
  if (!transparent) return 1;
  const share = mode.startsWith('RGB')
    ? (0.2126 * r + 0.7152 * g + 0.0722 * b) * transparency
    : a * transparency;
  const opacity = mode.endsWith('ZERO') ? 1 - share : share;
  // Files that mean the reverse of what the word says write nothing of a thing that they show.
  return opacity > 0 && opacity <= 1 ? opacity : 1;
}

/** The file of a channel's picture: by its sampler and surface, or straight by the image's id. */
function pictureOf(
  tree: DaeTree,
  profile: XmlElement | undefined,
  channel: XmlElement | undefined,
): string | undefined {
  const named = find(channel, 'texture')?.attributes.texture;
  if (named === undefined) return undefined;
  const param = (sid: string | undefined): XmlElement | undefined =>
    all(profile, 'newparam').find(({ attributes }) => attributes.sid === sid);
  const sampler = find(param(named), 'sampler2D');
  const surface = find(param(find(sampler, 'source')?.text.trim()), 'surface');
  const id =
    find(surface, 'init_from')?.text.trim() ?? find(sampler, 'instance_image')?.attributes.url ?? named;
  const image = tree.target(id);
  const from = find(image, 'init_from');
  const file = (find(from, 'ref')?.text ?? from?.text ?? '').trim();
  return file === '' ? undefined : file;
}

function isDoubleSided(effect: XmlElement | undefined): boolean {
  const stack = effect ? [effect] : [];
  for (let element = stack.pop(); element; element = stack.pop()) {
    if (element.name === 'double_sided') return /^(1|true)$/.test(element.text.trim());
    stack.push(...element.children);
  }
  return false;
}
