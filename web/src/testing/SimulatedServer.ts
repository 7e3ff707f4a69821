import {
  decodeWeights,
  editHeader,
  editsHeader,
  encodeRows,
  encodeWeights,
  laterEditsHeader,
  logEntry,
  packFrame,
  unpackFrame,
  type LogEntry,
} from '@judoka/contract';
import {
  applyEdit,
  editsOf,
  EMPTY_HISTORY,
  invertEdit,
  record,
  type DocumentState,
  type DocumentValues,
  type Edit,
  type History,
} from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { setupOf, type JointSetup, type Skeleton } from '@judoka/core/skeleton';
import type { Change, WeightRows } from '@judoka/core/weights';

interface Line {
  readonly entry: LogEntry;
  /** What the edit, or the target of an undo or redo, did. */
  readonly content: Edit;
}

/**
 * A server that keeps one character's document, in memory, by core's own rules. It passes the same suite as the real one
 * (contract/src/testing/documentService.ts).
 */
export class SimulatedServer {
  readonly id = crypto.randomUUID();
  readonly log: Line[] = [];
  readonly attachments = new Map<string, Uint8Array>();
  readonly #pieces = new Map<string, Uint8Array[]>();
  readonly #base: Skeleton;
  state: DocumentState;
  #history: History = EMPTY_HISTORY;
  isAway = false;
  /** Refuses edits whose labels this says yes to, whatever they do. */
  refuses: (label: string) => boolean = () => false;

  constructor(skeleton: Skeleton, rows: readonly WeightRows[], values: DocumentValues = {}) {
    this.#base = skeleton;
    this.state = { skeleton, rows: rows.map(copyRows), values };
  }

  get head(): number {
    return this.log.length;
  }

  labels(): string[] {
    return this.log.map(({ entry }) => `${entry.kind} ${entry.label}`);
  }

  /** Somebody else's edit. */
  edit(label: string, content: Partial<Edit>): void {
    const edit = { weights: [], joints: [], values: [], ...content };
    this.#append({ id: crypto.randomUUID(), kind: 'edit', label }, edit);
  }

  /** What an edit that was sent does to the weights. */
  changeOf(index: number): Change {
    return this.log[index].content.weights;
  }

  header() {
    const refs = (stack: History['done']) => [...editsOf(stack)];
    return {
      id: this.id,
      name: 'Somebody',
      role: 'owner' as const,
      arrival: [],
      head: this.head,
      joints: this.#setups(),
      values: this.state.values,
      done: refs(this.#history.done),
      moreDone: false,
      undone: refs(this.#history.undone),
    };
  }

  /** Answers as fetch does: it fails where the network would. */
  async answer(path: string, init: RequestInit = {}): Promise<Response> {
    if (this.isAway) throw new TypeError('no network');
    const [what, id, , piece] = path.replace(`/api/characters/${this.id}/`, '').split(/[/?]/);
    if (!path.includes(this.id)) return failure(404, 'not-found', 'No such character.');
    const body = init.body ? new Uint8Array(await new Response(init.body).arrayBuffer()) : undefined;
    switch (`${init.method ?? 'GET'} ${what}`) {
      case 'GET document':
        return bytes(packFrame(this.header(), [encodeRows(this.state.rows)]));
      case 'POST edits':
        return this.#take(body ?? new Uint8Array(0));
      case 'PUT edits':
        this.#pieces.set(id, Object.assign(this.#pieces.get(id) ?? [], { [Number(piece)]: body }));
        return new Response(null, { status: 204 });
      case 'GET edits':
        return path.includes('?') ? this.#later(Number(path.split('after=')[1])) : this.#content(id);
      case 'PUT attachments':
        this.attachments.set(id, body ?? new Uint8Array(0));
        return new Response(null, { status: 204 });
      case 'GET attachments': {
        const held = this.attachments.get(id);
        return held ? bytes(held) : failure(404, 'not-found', 'No such attachment.');
      }
      default:
        return failure(404, 'not-found', 'There is nothing at this address.');
    }
  }

  #setups(): Record<number, JointSetup | null> {
    return Object.fromEntries(
      this.state.skeleton.joints.flatMap((joint, i) => {
        if (joint === this.#base.joints[i]) return [];
        return [[i, joint.removed ? null : setupOf(joint)]];
      }),
    );
  }

  #take(body: Uint8Array): Response {
    const { header, blobs } = unpackFrame(body);
    for (const entry of (header as { entries: LogEntry[] }).entries) {
      const read = logEntry.safeParse(entry);
      if (!read.success) return refusal(entry.id, read.error.issues[0].message);
    }
    const { base, entries } = editsHeader.parse(header);
    const known = entries.map(({ id }) => this.log.findIndex(({ entry }) => entry.id === id) + 1);
    const fresh = entries.filter((_, i) => known[i] === 0);
    const from = Math.max(base, ...known);
    if (fresh.length === 0) return json({ head: from });
    const behind = from !== this.head;
    const clash = (): Response => failure(409, 'edit-clash', 'Changed elsewhere.', { head: this.head });
    const canFollow = ({ kind, joints = [] }: LogEntry): boolean => kind === 'edit' && joints.length === 0;
    if (behind && !fresh.every(canFollow)) return clash();
    const before = { state: copyState(this.state), history: this.#history, head: this.head };
    for (const entry of fresh) {
      try {
        if (this.refuses(entry.label))
          throw new CoreError('argument-invalid', 'The server will not have it.');
        this.#append(entry, this.#read(entry, blobs));
      } catch (error) {
        if (!(error instanceof CoreError)) throw error;
        this.state = before.state;
        this.#history = before.history;
        this.log.length = before.head;
        return behind ? clash() : refusal(entry.id, error.message);
      }
    }
    return json({ head: this.head, behind: behind || undefined });
  }

  #read(
    { id, kind, target, weights, joints = [], values = [] }: LogEntry,
    blobs: readonly Uint8Array[],
  ): Edit {
    if (kind !== 'edit') {
      const line = this.log.find(({ entry }) => entry.id === target);
      if (!line) throw new CoreError('argument-invalid', 'It is not the turn of an edit that is not there.');
      return line.content;
    }
    for (const { after } of values) {
      const { attachment } = (after ?? {}) as { attachment?: string };
      if (attachment && !this.attachments.has(attachment))
        throw new CoreError('argument-invalid', 'What it saves did not come with it.');
    }
    let delta: Uint8Array | undefined;
    if (weights && 'blob' in weights) delta = blobs[weights.blob];
    if (weights && 'pieces' in weights) {
      const pieces = this.#pieces.get(id) ?? [];
      if (Object.keys(pieces).length < weights.pieces)
        throw new CoreError('delta-invalid', 'A piece of it is missing.');
      delta = Uint8Array.from(pieces.flatMap((piece) => [...piece]));
    }
    return { joints, values, weights: delta ? decodeWeights(delta) : [] };
  }

  #append(entry: LogEntry, content: Edit): void {
    const { id, kind, label, target } = entry;
    const history = record(this.#history, { id, kind, label, target });
    this.state = applyEdit(this.state, kind === 'undo' ? invertEdit(content) : content);
    this.#history = history;
    this.log.push({ entry, content });
  }

  #later(after: number): Response {
    const blobs: Uint8Array[] = [];
    const entries = this.log.slice(after).map(({ entry, content }) => {
      const { id, kind, label, target } = entry;
      const { weights, joints, values } = content;
      const place = weights.length > 0 ? { blob: blobs.push(encodeWeights(weights)) - 1 } : undefined;
      return { id, kind, label, target, joints, values, weights: place };
    });
    return bytes(packFrame(laterEditsHeader.parse({ head: this.head, entries, more: false }), blobs));
  }

  #content(id: string): Response {
    const line = this.log.find(({ entry }) => entry.id === id);
    if (!line) return failure(404, 'not-found', 'There is no such edit.');
    const { weights, joints, values } = line.content;
    return bytes(
      packFrame(editHeader.parse({ joints, values }), weights.length > 0 ? [encodeWeights(weights)] : []),
    );
  }
}

const copyRows = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});

const copyState = (state: DocumentState): DocumentState => ({ ...state, rows: state.rows.map(copyRows) });

const json = (body: unknown, status = 200): Response => new Response(JSON.stringify(body), { status });
const bytes = (body: Uint8Array): Response => new Response(new Uint8Array(body));
const failure = (status: number, code: string, message: string, detail = {}): Response =>
  json({ error: { code, message, detail } }, status);
const refusal = (edit: string, why: string): Response =>
  failure(422, 'edit-refused', `It could not be taken. ${why}`, { edit });
