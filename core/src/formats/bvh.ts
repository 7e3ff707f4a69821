import { type Bvh, BVH_CHANNELS, type BvhChannel, type BvhJoint } from '../animation/bvhMotion.ts';
import { CoreError } from '../errors.ts';

export const MAX_BVH_BYTES = 64 * 1024 * 1024;
const MAX_JOINTS = 1024;
const MAX_DEPTH = 256;

/**
 * Reads the text of a `.bvh` file: a hierarchy with offsets and channels in any order, then frames of numbers.
 * @throws CoreError `file-invalid` with the line, `file-too-large`
 */
export function readBvh(text: string): Bvh {
  if (text.length > MAX_BVH_BYTES) throw new CoreError('file-too-large', 'This motion is larger than 64 MB.');
  const motionAt = text.search(/^\s*MOTION\b/m);
  if (!/^\s*HIERARCHY\b/.test(text.replace(/^\uFEFF/, '')))
    throw new CoreError('file-invalid', 'This is no .bvh file: it does not begin with HIERARCHY.');
  if (motionAt < 0) throw cut('There is no MOTION behind the hierarchy: the file is cut off.');
  const joints = new HierarchyReader(text.slice(0, motionAt)).read();
  const head = /MOTION\s+Frames:\s*(\S+)\s+Frame\s*Time:\s*(\S+)[^\S\n]*/.exec(
    text.slice(motionAt, motionAt + 400),
  );
  if (!head) throw cut('MOTION is not followed by “Frames:” and “Frame Time:”.');
  const frames = Number(head[1]);
  const frameSeconds = Number(head[2]);
  if (!Number.isInteger(frames) || frames < 0) throw cut(`The number of frames is “${head[1]}”.`);
  if (frames === 0) throw cut('This motion has no frames, so there is nothing to play.');
  if (!(frameSeconds > 0) || !Number.isFinite(frameSeconds)) throw cut(`The frame time is “${head[2]}”.`);
  const width = joints.reduce((sum, { channels }) => sum + channels.length, 0);
  return { joints, frames, frameSeconds, values: readFrames(text, motionAt + head[0].length, frames, width) };
}

const cut = (message: string): CoreError => new CoreError('file-invalid', message, { where: 'motion' });

function readFrames(text: string, from: number, frames: number, width: number): Float32Array {
  if (frames * width > 50e6)
    throw new CoreError('file-too-large', 'This motion has more numbers than fit in here.');
  const values = new Float32Array(frames * width);
  const numbers = /[^\s]+/g;
  numbers.lastIndex = from;
  for (let i = 0; i < values.length; i++) {
    const word = numbers.exec(text)?.[0];
    const frame = Math.floor(i / width) + 1;
    if (word === undefined) throw cut(`The file is cut off in frame ${frame} of ${frames}.`);
    const value = Number(word.replace(',', '.'));
    if (!Number.isFinite(Math.fround(value)))
      throw cut(`In frame ${frame}, “${word.slice(0, 20)}” is no number.`);
    values[i] = value;
  }
  return values;
}

class HierarchyReader {
  readonly #words: string[];
  readonly #joints: { -readonly [K in keyof BvhJoint]: BvhJoint[K] }[] = [];
  #at = 0;

  constructor(text: string) {
    this.#words = text
      .replace(/^\uFEFF/, '')
      // Names may have spaces in them.
      .replace(/^([^\S\n]*(?:ROOT|JOINT)[^\S\n]+)(\S.*?)[^\S\n]*$/gm, (_, word: string, name: string) => {
        const [own, brace] = name.endsWith('{') ? [name.slice(0, -1).trim(), ' {'] : [name, ''];
        return word + own.replace(/\s+/g, '\u00a0') + brace;
      })
      .split(/[ \t\r\n]+/)
      .filter((word) => word.length > 0);
  }

  read(): BvhJoint[] {
    this.#expect('HIERARCHY');
    while (this.#at < this.#words.length) {
      this.#expect('ROOT');
      this.#joint(-1, 0);
    }
    if (this.#joints.length === 0) throw this.#wrong('There is no ROOT in the hierarchy');
    return this.#joints;
  }

  #joint(parent: number, depth: number): void {
    if (depth > MAX_DEPTH || this.#joints.length >= MAX_JOINTS)
      throw new CoreError(
        'file-too-large',
        `This motion has more than ${MAX_JOINTS} joints, or they nest too deep.`,
      );
    const index = this.#joints.length;
    const joint = {
      name: this.#next('a joint’s name').replace(/\u00a0/g, ' '),
      parent,
      offset: [0, 0, 0] as [number, number, number],
      channels: [] as BvhChannel[],
    };
    this.#joints.push(joint);
    this.#expect('{');
    for (let word = this.#next('“}”'); word !== '}'; word = this.#next('“}”')) {
      if (word === 'OFFSET') joint.offset = this.#offset();
      else if (word === 'CHANNELS') joint.channels = this.#channels();
      else if (word === 'JOINT') this.#joint(index, depth + 1);
      else if (word === 'End') {
        this.#expect('Site');
        this.#expect('{');
        this.#expect('OFFSET');
        this.#joints[index].end = this.#offset();
        this.#expect('}');
      } else throw this.#wrong(`“${word.slice(0, 30)}” is not known in a hierarchy`);
    }
  }

  #offset(): [number, number, number] {
    return [this.#number(), this.#number(), this.#number()];
  }

  #channels(): BvhChannel[] {
    const count = this.#number();
    if (!Number.isInteger(count) || count < 0 || count > 6) throw this.#wrong('A joint has 0 to 6 channels');
    const channels = Array.from({ length: count }, () => {
      const word = this.#next('a channel');
      const channel = BVH_CHANNELS.find((one) => one.toLowerCase() === word.toLowerCase());
      if (!channel) throw this.#wrong(`“${word.slice(0, 30)}” is no channel`);
      return channel;
    });
    if (new Set(channels).size !== channels.length) throw this.#wrong('A channel is named twice');
    return channels;
  }

  #number(): number {
    const word = this.#next('a number');
    const value = Number(word);
    if (!Number.isFinite(Math.fround(value))) throw this.#wrong(`“${word.slice(0, 30)}” is no number`);
    return value;
  }

  #next(wanted: string): string {
    const word = this.#words.at(this.#at++);
    if (word === undefined) throw cut(`The hierarchy is cut off where ${wanted} should be.`);
    return word;
  }

  #expect(wanted: string): void {
    const word = this.#next(`“${wanted}”`);
    if (word !== wanted) throw this.#wrong(`“${word.slice(0, 30)}” stands where “${wanted}” should`);
  }

  #wrong(what: string): CoreError {
    const joint = this.#joints[this.#joints.length - 1]?.name;
    return new CoreError('file-invalid', `${what}${joint ? `, at joint “${joint}”` : ''}.`, {
      where: 'hierarchy',
    });
  }
}

/** A motion as the text of a `.bvh` file, in which a joint stands behind all that hangs on those before it. */
export function writeBvh({ joints, frames, frameSeconds, values }: Bvh): string {
  const lines = ['HIERARCHY'];
  const order: number[] = [];
  const put = (joint: number, depth: number): void => {
    order.push(joint);
    const { name, parent, offset, channels, end } = joints[joint];
    const tab = '  '.repeat(depth);
    lines.push(`${tab}${parent < 0 ? 'ROOT' : 'JOINT'} ${name}`, `${tab}{`);
    lines.push(`${tab}  OFFSET ${offset.map(plain).join(' ')}`);
    lines.push(`${tab}  CHANNELS ${channels.length} ${channels.join(' ')}`.trimEnd());
    joints.forEach((other, index) => {
      if (other.parent === joint) put(index, depth + 1);
    });
    if (end)
      lines.push(
        `${tab}  End Site`,
        `${tab}  {`,
        `${tab}    OFFSET ${end.map(plain).join(' ')}`,
        `${tab}  }`,
      );
    lines.push(`${tab}}`);
  };
  joints.forEach(({ parent }, joint) => {
    if (parent < 0) put(joint, 0);
  });
  lines.push('MOTION', `Frames: ${frames}`, `Frame Time: ${frameSeconds.toFixed(7)}`);
  const width = values.length / frames;
  const first = joints.map((_, joint) =>
    joints.slice(0, joint).reduce((sum, { channels }) => sum + channels.length, 0),
  );
  for (let frame = 0; frame < frames; frame++) {
    const line = order.flatMap((joint) => {
      const from = frame * width + first[joint];
      return Array.from(values.subarray(from, from + joints[joint].channels.length), plain);
    });
    lines.push(line.join(' '));
  }
  return `${lines.join('\n')}\n`;
}

const plain = (x: number): string => String(Number(x.toFixed(4)));
