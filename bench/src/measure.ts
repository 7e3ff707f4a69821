/** Times in milliseconds of many runs of one thing. */
export interface Timing {
  readonly median: number;
  /** 99th percentile. */
  readonly p99: number;
  readonly first: number;
}

/** Runs `work` until the clock has had enough of it, after warming up; `before` is not timed. */
export function measure(
  work: () => void,
  { runs = 41, warm = 8, before = (): void => undefined } = {},
): Timing {
  const times: number[] = [];
  let first = 0;
  for (let i = 0; i < runs + warm; i++) {
    before();
    const start = performance.now();
    work();
    const time = performance.now() - start;
    if (i === 0) first = time;
    if (i >= warm) times.push(time);
  }
  return summarize(times, first);
}

export async function measureAsync(
  work: () => Promise<unknown>,
  { runs = 9, warm = 2 } = {},
): Promise<Timing> {
  const times: number[] = [];
  let first = 0;
  for (let i = 0; i < runs + warm; i++) {
    const start = performance.now();
    await work();
    const time = performance.now() - start;
    if (i === 0) first = time;
    if (i >= warm) times.push(time);
  }
  return summarize(times, first);
}

function summarize(times: number[], first: number): Timing {
  times.sort((a, b) => a - b);
  const at = (share: number): number => times[Math.min(times.length - 1, Math.floor(times.length * share))];
  return { median: at(0.5), p99: at(0.99), first };
}

let misses = 0;

/** One line: what, how much, in which unit, and the figure that it has to reach. */
export function report(
  what: string,
  value: number,
  unit: string,
  limit?: { most?: number; least?: number },
  note = '',
): void {
  const { most, least } = limit ?? {};
  const holds = (most === undefined || value <= most) && (least === undefined || value >= least);
  if (!holds) misses++;
  const wanted = most !== undefined ? `at most ${most}` : least !== undefined ? `at least ${least}` : '';
  const digits = Math.abs(value) >= 100 ? 0 : 2;
  const columns = [
    what.padEnd(58),
    value.toFixed(digits).padStart(9),
    unit.padEnd(12),
    wanted.padEnd(14),
    limit ? (holds ? 'holds' : 'MISSED') : '',
  ];
  console.log(`${columns.join(' ')}${note ? ` ${note}` : ''}`);
}

export const missed = (): number => misses;
