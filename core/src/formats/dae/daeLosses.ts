import type { GltfJson, GltfPrimitive } from '../gltf/gltfJson.ts';

type Json = Omit<GltfJson, 'materials'> & {
  readonly materials?: readonly Readonly<Record<string, unknown>>[];
  readonly cameras?: readonly unknown[];
};

/** What a character's file holds that COLLADA, as it is written here, cannot take along; in sentences. */
export function lossesInDae(json: GltfJson): string[] {
  const { materials = [], cameras = [] } = json as Json;
  const primitives = (json.meshes ?? []).flatMap((mesh) => mesh.primitives);
  const has = (test: (primitive: GltfPrimitive) => boolean): boolean => primitives.some(test);
  const losses: string[] = [];
  const tell = (isLost: boolean, words: string): void => {
    if (isLost) losses.push(words);
  };
  const uses = (key: string): boolean =>
    materials.some((one) => key in one || key in Object(one.pbrMetallicRoughness));
  tell(uses('metallicRoughnessTexture'), 'Maps of metal and roughness stay behind.');
  tell(uses('normalTexture'), 'Normal maps stay behind.');
  tell(uses('occlusionTexture') || uses('emissiveTexture'), 'Maps of occlusion and glow stay behind.');
  tell(cameras.length > 0, 'Cameras stay behind.');
  tell('KHR_lights_punctual' in ((json as { extensions?: object }).extensions ?? {}), 'Lights stay behind.');
  tell(
    has(({ mode }) => mode !== undefined && mode !== 4),
    'Lines, points, strips and fans of faces stay behind.',
  );
  tell(
    has(({ attributes }) => 'TANGENT' in attributes),
    'Tangents stay behind: they are made anew from what is there.',
  );
  tell(
    has(({ targets }) => targets?.some((target) => 'NORMAL' in target || 'TANGENT' in target) ?? false),
    'Shapes go along with their places; their normals stay behind.',
  );
  tell(
    (json.animations ?? []).some(({ channels }) => channels.some(({ target }) => target.path === 'weights')),
    'Motions of shapes stay behind.',
  );
  tell(hasExtras(json), 'Extras stay behind: the format has no place for them.');
  const extensions = (json.extensionsUsed ?? []).filter(
    (name) => !/draco|meshopt|quantization|lights_punctual/.test(name),
  );
  tell(extensions.length > 0, `What extensions say stays behind (${extensions.slice(0, 4).join(', ')}).`);
  return losses;
}

function hasExtras(json: object): boolean {
  const stack: unknown[] = [json];
  for (let one = stack.pop(); one !== undefined; one = stack.pop()) {
    if (typeof one !== 'object' || one === null) continue;
    for (const [key, value] of Object.entries(one)) {
      const isNames = typeof value === 'object' && value !== null && 'targetNames' in value;
      if (key === 'extras' && !isNames && !('judokaNotes' in Object(value))) return true;
      if (key !== 'extras') stack.push(value);
    }
  }
  return false;
}
