import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { OtherReaders } from './OtherReaders.ts';

/** The server's stream, as the browser gives it. */
class FakeStream extends EventTarget {
  static readonly open: FakeStream[] = [];
  readonly url: string;
  isClosed = false;
  constructor(url: string) {
    super();
    this.url = url;
    FakeStream.open.push(this);
  }
  close(): void {
    this.isClosed = true;
  }
  say(data: string): void {
    this.dispatchEvent(new MessageEvent('message', { data }));
  }
}

class FakePage extends EventTarget {
  visibilityState = 'visible';
  turnTo(state: string): void {
    this.visibilityState = state;
    this.dispatchEvent(new Event('visibilitychange'));
  }
}

let page: FakePage;
const opened: OtherReaders[] = [];
const heads: number[] = [];
const readersOf = (character: string, onHead = (head: number) => void heads.push(head)): OtherReaders => {
  const readers = new OtherReaders(character, { onHead });
  opened.push(readers);
  return readers;
};
const stream = (): FakeStream => FakeStream.open[FakeStream.open.length - 1];
const passed = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 20));

beforeEach(() => {
  page = new FakePage();
  FakeStream.open.length = heads.length = 0;
  Object.assign(globalThis, { document: page, EventSource: FakeStream });
});
afterEach(() => {
  for (const readers of opened) readers.close();
  opened.length = 0;
  Reflect.deleteProperty(globalThis, 'document');
  Reflect.deleteProperty(globalThis, 'EventSource');
});

describe('other people, through the server', () => {
  test('each head that comes is told', () => {
    readersOf('one');
    expect(stream().url).toBe('/api/characters/one/events');
    stream().say('{"head":4}');
    stream().say('{"head":5}');
    expect(heads).toEqual([4, 5]);
  });

  test('what is no head is let be', () => {
    readersOf('one');
    stream().say('{"head":"many"}');
    expect(heads).toEqual([]);
  });

  test('a page that nobody looks at lets the server be; looked at again, it asks anew', () => {
    readersOf('one');
    const first = stream();
    page.turnTo('hidden');
    expect(first.isClosed).toBe(true);
    page.turnTo('visible');
    expect(FakeStream.open).toHaveLength(2);
    page.turnTo('visible');
    expect(FakeStream.open).toHaveLength(2);
    stream().say('{"head":9}');
    expect(heads).toEqual([9]);
  });

  test('closed, it hears nothing and does not connect again', () => {
    const readers = readersOf('one');
    readers.close();
    expect(stream().isClosed).toBe(true);
    page.turnTo('hidden');
    page.turnTo('visible');
    expect(FakeStream.open).toHaveLength(1);
  });
});

describe('other tabs of this browser', () => {
  test('hear of a head at once; those of another character do not, nor does the tab itself', async () => {
    const elsewhere: number[] = [];
    const mine: number[] = [];
    const own = readersOf('one', (head) => void mine.push(head));
    readersOf('one');
    readersOf('two', (head) => void elsewhere.push(head));
    own.tell(7);
    await passed();
    expect(heads).toEqual([7]);
    expect([mine, elsewhere]).toEqual([[], []]);
  });

  test('closed, they hear nothing', async () => {
    const own = readersOf('one');
    readersOf('one').close();
    own.tell(8);
    await passed();
    expect(heads).toEqual([]);
  });
});
