import { checkUp, leftOutJoints } from '@judoka/core/analysis/checkUp';
import { type Character, type Finding, FINDING_WORDS } from '@judoka/core/document';
import { readCharacter } from '@judoka/core/formats';
import { decoders, openFile } from './files.ts';
import { profileNamed } from './profiles.ts';

/** A finding as `judoka check --json` prints it; `vertices` number the primitive's own vertex list. */
export interface PrintedFinding {
  code: string;
  severity: string;
  part?: number;
  joint?: number;
  count: number;
  vertices?: number[];
  message: string;
  repairable: boolean;
}

/** @returns the exit code: 1 if there is something above a note */
export async function check(file: string, options: { json?: boolean; profile?: string }): Promise<number> {
  const character = await readCharacter(openFile(file), decoders);
  const findings = checkUp(character, {
    profile: profileNamed(options.profile),
    nonDeforming: leftOutJoints(character),
  });
  const printed = findings.map((finding) => print(finding, character));
  process.stdout.write(options.json ? `${JSON.stringify(printed)}\n` : asText(findings));
  return findings.some(({ severity }) => severity !== 'note') ? 1 : 0;
}

function print(finding: Finding, character: Character): PrintedFinding {
  const { code, severity, part, joint, count, points, message, repair } = finding;
  return {
    code,
    severity,
    ...(part === undefined ? {} : { part }),
    ...(joint === undefined ? {} : { joint }),
    count,
    ...(part === undefined || !points ? {} : { vertices: verticesOf(finding, character) }),
    message,
    repairable: repair !== undefined,
  };
}

function verticesOf({ code, part, points }: Finding, { parts, sourceWeights }: Character): number[] {
  const { vertexPoint } = parts[part as number];
  const chosen = new Set(points);
  const { sums, brokenVertices, sumTolerance } = sourceWeights[part as number];
  // Several vertices of a point may be of different minds in the file.
  const own = (v: number): boolean => {
    if (code === 'broken-weights') return brokenVertices[v] === 1;
    if (code === 'weights-in-units') return sums[v] > 50;
    if (code === 'sums-off-one') return sums[v] > 0 && sums[v] <= 50 && Math.abs(sums[v] - 1) > sumTolerance;
    return true;
  };
  const vertices: number[] = [];
  for (let v = 0; v < vertexPoint.length; v++) if (chosen.has(vertexPoint[v]) && own(v)) vertices.push(v);
  return vertices;
}

function asText(findings: readonly Finding[]): string {
  if (findings.length === 0) return 'Nothing found.\n';
  return findings
    .map(({ code, severity, message, repair }) => {
      const lines = [`${severity}: ${message}`, `  ${FINDING_WORDS[code].means}`];
      if (repair) lines.push(`  repair --only ${code}: ${repair}`);
      return `${lines.join('\n')}\n`;
    })
    .join('');
}
