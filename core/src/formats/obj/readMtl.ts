import { decodeAnyText } from '../text.ts';
import type { NewMaterial } from '../gltf/NewGltf.ts';

/** Materials of a `.mtl` file: colour, opacity, highlight, picture. What else it says is passed over. */
export function readMtl(bytes: Uint8Array): NewMaterial[] {
  const materials: NewMaterial[] = [];
  let own: { -readonly [K in keyof NewMaterial]: NewMaterial[K] } | undefined;
  for (const line of decodeAnyText(bytes).split('\n')) {
    const [word, ...rest] = line.trim().split(/\s+/);
    const numbers = rest.map(Number);
    if (word === 'newmtl') {
      own = { name: rest.join(' '), colour: [0.6, 0.6, 0.6, 1], roughness: 1, isDoubleSided: false };
      materials.push(own);
    } else if (!own || rest.length === 0) continue;
    else if (word === 'Kd' && numbers.slice(0, 3).every(isShare))
      own.colour = [
        linear(numbers[0]),
        linear(numbers[1] ?? numbers[0]),
        linear(numbers[2] ?? numbers[0]),
        own.colour[3],
      ];
    else if (word === 'd' && isShare(numbers[0]) && numbers[0] > 0)
      own.colour = [own.colour[0], own.colour[1], own.colour[2], numbers[0]];
    else if (word === 'Ns' && numbers[0] > 1) own.roughness = Math.sqrt(Math.sqrt(2 / (numbers[0] + 2)));
    else if (word === 'map_Kd') {
      own.picture = pictureName(line);
      own.colour = [1, 1, 1, own.colour[3]];
    }
  }
  return materials;
}

const isShare = (x: number): boolean => x >= 0 && x <= 1;
const linear = (share: number): number =>
  share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;

/** The name behind the options, which may have spaces in it. */
function pictureName(line: string): string {
  const name = line
    .trim()
    .replace(/^\S+\s+/, '')
    .replace(/^(?:-(?:o|s|t)(?:\s+[-+.\d]+){1,3}\s+|-(?:mm)(?:\s+[-+.\d]+){2}\s+|-\w+\s+\S+\s+)*/, '');
  return name.replace(/\\+/g, '/').replace(/^\.\//, '');
}
