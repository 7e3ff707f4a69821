// What a thread of heavy work does, so that nothing else waits for it.
import type { MessagePort } from 'node:worker_threads';
import { decodeRows, decodeSelection, encodeWeights, packFrame, type AskedWork } from '@judoka/contract';
import { BIND_WORDS, bindNotes, bindSkin, type BindNote } from '@judoka/core/operations/bind';
import { checkUp } from '@judoka/core/analysis/checkUp';
import { lookForBlemishes } from '@judoka/core/analysis/blemishes';
import { rankStrays } from '@judoka/core/analysis/strays';
import {
  counted,
  coversStray,
  readSettings,
  withJointSetups,
  withSkinnedParts,
  withShapes,
  type Character,
  type DocumentSettings,
  type DocumentValues,
} from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { reportFigures, reportOf, reportPage } from '@judoka/core/formats/report';
import { grouped } from '@judoka/core/math';
import { maskOf, type PointMask } from '@judoka/core/mesh';
import type { JointSetups } from '@judoka/core/skeleton';
import type { Confines, WeightRows } from '@judoka/core/weights';
import { decoders } from '../files/decoders.ts';
import { dataUrl } from '../files/png.ts';
import { asFailure, type Outcome } from '../http/outcome.ts';

/** A character as it is now, as its bytes. */
export interface WorkSubject {
  readonly name: string;
  readonly source: Uint8Array;
  readonly weights: Uint8Array;
  readonly setups: JointSetups;
  readonly values: DocumentValues;
  /** Attachments that selections name, as far as joints are confined to them. */
  readonly selections: ReadonlyMap<string, Uint8Array>;
  /** Who asks. */
  readonly by?: string;
  /** What has left, the last first. */
  readonly delivered?: readonly { readonly at: Date; readonly file: string; readonly words: string }[];
}

export interface WorkTask {
  readonly subject: WorkSubject;
  readonly work: AskedWork;
  /** Told how much is done. */
  readonly port: MessagePort;
}

/** What came of it: a page or a proposal, and a sentence. */
export interface WorkResult {
  readonly bytes: Uint8Array;
  readonly words: string;
  /** Of a report: what it says, for programs. */
  readonly figures?: object;
}

/** How much more must be done before it is told again. */
const STEP = 0.01;

/** Does one piece of work. */
export async function doWork({ subject, work, port }: WorkTask): Promise<Outcome<WorkResult>> {
  try {
    const { character, settings, came } = await open(subject);
    let told = 0;
    const watch = (share: number): void => {
      if (share - told < STEP && share < 1) return;
      told = share;
      port.postMessage(share);
    };
    const value =
      work.kind === 'report'
        ? await report(character, came, settings, subject, watch)
        : await bind(character, settings, subject, work, watch);
    return { ok: true, value };
  } catch (error) {
    return asFailure(error);
  }
}

/** What is wrong with a character as it is now, as its page would say it, in sentences, worst first. */
export async function checkCharacter(subject: WorkSubject): Promise<Outcome<string[]>> {
  try {
    const { character, settings } = await open(subject);
    const { nonDeforming, dismissed, ranges: limits, skinning } = settings;
    const findings = checkUp(character, { nonDeforming }).filter(
      ({ severity, settled }) => severity !== 'note' && !settled,
    );
    const strays = rankStrays(character, { nonDeforming, limits }).filter(
      (stray) => !stray.twin && !dismissed.some((one) => coversStray(one, stray)),
    ).length;
    const value = findings.map(({ message }) => message);
    if (strays > 0) value.push(`${counted(strays, 'patch of weight strays', 'patches of weight stray')}.`);
    const { blemishes, sides } = await lookForBlemishes(character, { nonDeforming, limits, skinning });
    const rough = blemishes.filter((blemish) => !dismissed.some((one) => coversStray(one, blemish))).length;
    if (rough > 0)
      value.push(
        `${counted(rough, 'place has', 'places have')} weights that jump, or change within one edge.`,
      );
    if (sides.length > 0)
      value.push(`${counted(sides.length, 'joint bends', 'joints bend')} worse than on the other side.`);
    return { ok: true, value };
  } catch (error) {
    return asFailure(error);
  }
}

/** A character as it is now, of its bytes, without what was only made to hold others. */
async function open(
  subject: WorkSubject,
): Promise<{ character: Character; settings: DocumentSettings; came: readonly WeightRows[] }> {
  const read = await readCharacter(openGlb(subject.source), decoders);
  const settings = readSettings(subject.values);
  const set = withSkinnedParts(
    withShapes(withJointSetups(read, subject.setups), { ...settings, cages: {} }),
    settings.skinnedParts,
  );
  const parts = set.parts.map((part, i) => ({ ...part, name: settings.partNames[i] ?? part.name }));
  const rows = decodeRows(subject.weights).slice(0, parts.length);
  return { character: { ...set, parts, rows }, settings, came: set.rows };
}

type Watch = (share: number) => void;

async function report(
  character: Character,
  came: readonly WeightRows[],
  settings: DocumentSettings,
  { name, by, delivered }: WorkSubject,
  watch: Watch,
): Promise<WorkResult> {
  // Outlines that were changed have other points than came.
  const isSame = came.every(({ pointCount }, part) => pointCount === character.rows[part].pointCount);
  const made = await reportOf(character, { ...settings, ...(isSame && { before: came }) }, watch);
  const about = { name, at: new Date(), by };
  const page = reportPage(character, made, { ...about, delivered, encode: dataUrl });
  const errors = made.findings.filter(({ severity, settled }) => severity === 'error' && !settled).length;
  const words = [
    errors === 0 ? 'No faults' : `${errors} ${errors === 1 ? 'fault' : 'faults'}`,
    `${made.strays.length} ${made.strays.length === 1 ? 'stray' : 'strays'}`,
  ];
  return {
    bytes: new TextEncoder().encode(page),
    words: `${words.join(', ')}.`,
    figures: reportFigures(character, made, about),
  };
}

async function bind(
  { parts, skeleton, rows, drawing }: Character,
  settings: DocumentSettings,
  { selections }: WorkSubject,
  { method, softness, limit }: Extract<AskedWork, { kind: 'bind' }>,
  watch: Watch,
): Promise<WorkResult> {
  const bound = parts.flatMap(({ role }, part) =>
    role === 'skinned' && !settings.rigidParts.has(part) ? [part] : [],
  );
  if (bound.length === 0)
    throw new CoreError('bind-impossible', 'No part of this character can be bound: all are rigid or fixed.');
  const { change, report: said } = await bindSkin(
    { parts, skeleton, rows, drawing },
    {
      ...{ method, softness, limit, parts: bound },
      deforming: Uint8Array.from(skeleton.joints, ({ removed }, joint) =>
        removed || settings.nonDeforming.has(joint) ? 0 : 1,
      ),
      locks: Uint8Array.from(skeleton.joints, (_, joint) => (settings.locks.has(joint) ? 1 : 0)),
      confines: confinesOf(settings, parts, selections),
    },
    watch,
  );
  const notes = bindNotes(said, (part) => parts[part].name);
  const points = `${grouped(said.changed)} ${said.changed === 1 ? 'point' : 'points'}`;
  return {
    bytes: packProposal(BIND_WORDS[method], encodeWeights(change), notes),
    words: `New weights for ${points}.`,
  };
}

function packProposal(label: string, change: Uint8Array, notes: readonly BindNote[]): Uint8Array {
  const blobs = [change];
  const headers = notes.map(({ words, part, points }) => ({
    words,
    part,
    blob: points && blobs.push(new Uint8Array(points.buffer, points.byteOffset, points.byteLength)) - 1,
  }));
  return packFrame({ label, notes: headers }, blobs);
}

/** Where confined joints may weigh. A selection that is gone confines nothing. */
function confinesOf(
  { confines, selections }: DocumentSettings,
  parts: Character['parts'],
  attachments: WorkSubject['selections'],
): Confines {
  const areas = new Map<number, Map<number, PointMask>>();
  for (const [joint, id] of Object.entries(confines)) {
    const held = attachments.get(selections.find((each) => each.id === id)?.attachment ?? '');
    if (!held) continue;
    const masks = [...decodeSelection(held)].map(([part, points]): [number, PointMask] => [
      part,
      maskOf(points, parts[part].pointCount),
    ]);
    areas.set(Number(joint), new Map(masks));
  }
  return areas;
}
