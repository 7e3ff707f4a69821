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

/**
 * How many times as long `work` takes as `base`: the two run in turn, so that whatever else the machine is doing falls
 * on both; the ratio of their medians (and of the 99th percentile of `work` to the median of `base`).
 */
export async function compare(
  work: () => unknown,
  base: () => unknown,
  { runs = 61, warm = 12 } = {},
): Promise<{ ratio: number; p99: number; first: number; ms: number }> {
  const times: [number[], number[]] = [[], []];
  let first = 0;
  for (let i = 0; i < runs + warm; i++) {
    for (const [k, each] of [work, base].entries()) {
      const start = performance.now();
      const pending = each();
      if (pending instanceof Promise) await pending;
      const time = performance.now() - start;
      if (i === 0 && k === 0) first = time;
      if (i >= warm) times[k].push(time);
    }
  }
  const [a, b] = [summarize(times[0], first), summarize(times[1], 0)];
  return { ratio: a.median / b.median, p99: a.p99 / b.median, first: first / b.median, ms: a.median };
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
