import { apply, OTHERS } from '@judoka/core/weights';
import { exportCharacter, readCharacter } from '@judoka/core/formats';
import { type RankedStray, rankStrays } from '@judoka/core/analysis/strays';
import { removeStrays } from '@judoka/core/operations/repair';
import { strayWords } from '@judoka/core/analysis';
import type { Character } from '@judoka/core/document';
import { decoders, openFile, writeFile } from './files.ts';
import { checkOutput } from './output.ts';

export interface StrayOptions {
  json?: boolean;
  remove?: string;
  /** Also those that lie on both sides alike. */
  all?: boolean;
}

/** @returns the exit code: 1 if strays are left */
export async function strays(input: string, options: StrayOptions): Promise<number> {
  if (options.remove !== undefined) checkOutput(options.remove);
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  const found = rankStrays(character).filter(({ twin }) => options.all === true || !twin);
  if (options.remove !== undefined) {
    const rows = character.rows.map((own) => ({
      ...own,
      joints: own.joints.slice(),
      values: own.values.slice(),
    }));
    const locks = new Uint8Array(character.skeleton.joints.length);
    const limit = Math.max(8, ...rows.map(({ stride }) => stride));
    apply(rows, removeStrays(character.parts, rows, found, { receiver: OTHERS, locks, limit }).change);
    writeFile(options.remove, exportCharacter(container, character, rows));
  }
  const text = options.json
    ? `${JSON.stringify(found.map((stray) => print(stray, character)))}\n`
    : asText(found, character);
  process.stdout.write(text);
  return found.length > 0 && options.remove === undefined ? 1 : 0;
}

/** A stray as it is printed: part and joint by their numbers, vertices of the primitive's own list. */
function print({ part, joint, kind, points, mass, movement }: RankedStray, { parts, skeleton }: Character) {
  const { vertexPoint, name } = parts[part];
  const chosen = new Set(points);
  const vertices: number[] = [];
  for (let v = 0; v < vertexPoint.length; v++) if (chosen.has(vertexPoint[v])) vertices.push(v);
  return {
    part,
    partName: name,
    joint,
    jointName: skeleton.joints[joint].name,
    kind,
    vertices,
    mass,
    movement,
  };
}

function asText(found: readonly RankedStray[], { parts, skeleton }: Character): string {
  if (found.length === 0) return 'No weight strays.\n';
  return found
    .map(({ part, joint, kind, points, movement }) => {
      const words = strayWords(kind, `“${skeleton.joints[joint].name}”`, points.length);
      return `On “${parts[part].name}”: ${words}; moves the surface by up to ${movement.toPrecision(2)}.\n`;
    })
    .join('');
}
