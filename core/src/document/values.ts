import { CoreError } from '../errors.ts';
import { sameJson, type Json } from './json.ts';

/**
 * What a document holds besides weights and joints, by path: `locks/12`, `parts/3/name`, `skinning`. A path that is not
 * there stands for the default. See paths.ts for all of them.
 */
export type DocumentValues = Readonly<Record<string, Json>>;

/** One path before and after; null where it is not there. */
export interface ValueLine {
  readonly path: string;
  readonly before: Json;
  readonly after: Json;
}

/** A reversible change of values: at most one line a path. */
export type ValueChange = readonly ValueLine[];

const heldAt = (values: DocumentValues, path: string): Json =>
  Object.hasOwn(values, path) ? values[path] : null;

/** The change that makes paths hold these values (null for none); paths that hold them already are left out. */
export function changeValues(
  values: DocumentValues,
  wanted: Readonly<Record<string, Json | undefined>>,
): ValueChange {
  return Object.entries(wanted).flatMap(([path, value]) => {
    const after = value ?? null;
    const before = heldAt(values, path);
    return sameJson(before, after) ? [] : [{ path, before, after }];
  });
}

export function invertValues(change: ValueChange): ValueChange {
  return change.map(({ path, before, after }) => ({ path, before: after, after: before }));
}

/** One change that does what `first` and then `second` do. @throws CoreError delta-mismatch */
export function composeValues(first: ValueChange, second: ValueChange): ValueChange {
  const lines = new Map(first.map((line) => [line.path, line]));
  for (const { path, before, after } of second) {
    const line = lines.get(path);
    if (line && !sameJson(line.after, before)) throw mismatch(path);
    lines.set(path, { path, before: line ? line.before : before, after });
  }
  return [...lines.values()].filter(({ before, after }) => !sameJson(before, after));
}

/** The values after a change. @throws CoreError delta-mismatch if a path does not hold what the change expects */
export function applyValues(values: DocumentValues, change: ValueChange): DocumentValues {
  if (change.length === 0) return values;
  const next = new Map(Object.entries(values));
  for (const { path, before, after } of change) {
    if (!sameJson(heldAt(values, path), before)) throw mismatch(path);
    if (after === null) next.delete(path);
    else next.set(path, after);
  }
  return Object.fromEntries(next);
}

/** The same change on other values: `after` stays. `overlapping` lists the paths that others had changed too. */
export function rebaseValues(
  values: DocumentValues,
  change: ValueChange,
): { change: ValueChange; overlapping: string[] } {
  const overlapping = change.flatMap(({ path, before }) =>
    sameJson(heldAt(values, path), before) ? [] : [path],
  );
  const wanted = Object.fromEntries(change.map(({ path, after }) => [path, after]));
  return { change: changeValues(values, wanted), overlapping };
}

function mismatch(path: string): CoreError {
  return new CoreError('delta-mismatch', `This edit was made on other settings (${path}).`, { path });
}
