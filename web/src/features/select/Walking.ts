import { QuadWalker, type Walk, type WalkKind } from '@judoka/core/operations/select';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

/** Two neighbours that are selected, and nothing else: they say where a walk begins and which way. */
export interface ChosenEdge {
  readonly part: ScenePart;
  readonly a: number;
  readonly b: number;
}

interface OpenWalk {
  readonly kind: WalkKind;
  readonly part: ScenePart;
  readonly walk: Walk;
  readonly turns: ReadonlyMap<number, readonly [number, number]>;
  /** The selection that it left: any other selecting ends it. */
  readonly selection: number;
}

/** Walks along the quads: the selection follows them, and one that stopped goes on where a point is clicked. */
export class Walking {
  readonly #at: At;
  readonly #walkers = new Map<ScenePart, QuadWalker>();
  #open: OpenWalk | undefined;

  constructor(at: At) {
    this.#at = at;
  }

  chosenEdge(): ChosenEdge | undefined {
    const {
      scene: { selection, parts },
    } = this.#at;
    const points = selection.points();
    if (points.size !== 1 || selection.count !== 2) return undefined;
    const [[index, [a, b]]] = [...points];
    const part = parts[index];
    const { offsets, points: near } = part.paint.neighbours;
    for (let e = offsets[a]; e < offsets[a + 1]; e++) if (near[e] === b) return { part, a, b };
    return undefined;
  }

  start(kind: WalkKind, { part, a, b }: ChosenEdge): void {
    this.#show(kind, part, this.#walkerOf(part)[kind](a, b));
  }

  /** A click on the stage. @returns whether it said where the walk goes on */
  goOn(part: ScenePart, point: number): boolean {
    const open = this.#open;
    if (!open || open.part !== part || open.selection !== this.#at.scene.events.version('selection'))
      return false;
    const turn = open.turns.get(point);
    if (!turn) return false;
    this.#show(open.kind, part, this.#walkerOf(part).goOn(open.kind, open.walk, turn));
    return true;
  }

  /** Selects the open borders that selected points lie on. @returns whether there are any */
  borders(): boolean {
    const {
      scene: { selection, parts },
    } = this.#at;
    const found = [...selection.points()].map(([part, list]): [number, Uint32Array] => {
      const walker = this.#walkerOf(parts[part]);
      return [part, Uint32Array.from(new Set([...list].flatMap((p) => walker.border(p).points))).sort()];
    });
    if (found.every(([, points]) => points.length === 0)) return false;
    selection.choosePoints(new Map(found), 'replace');
    return true;
  }

  #show(kind: WalkKind, part: ScenePart, walk: Walk): void {
    const at = this.#at;
    const turns = this.#walkerOf(part).turns(kind, walk);
    at.scene.selection.choosePoints(
      new Map([[part.index, Uint32Array.from(new Set(walk.points)).sort()]]),
      'replace',
    );
    at.scene.setMarks({
      points: new Map([[part.index, Uint32Array.from(new Set(walk.stops)).sort()]]),
      joints: [],
      keepsCamera: true,
    });
    this.#open = { kind, part, walk, turns, selection: at.scene.events.version('selection') };
    if (walk.stops.length > 0) at.document.notify(stopWords(kind, turns.size > 0));
  }

  #walkerOf(part: ScenePart): QuadWalker {
    const known = this.#walkers.get(part);
    if (known) return known;
    const polygons = { offsets: part.part.polygonOffsets, points: part.part.polygonPoints };
    const made = new QuadWalker(polygons, part.paint.neighbours);
    this.#walkers.set(part, made);
    return made;
  }
}

function stopWords(kind: WalkKind, canGoOn: boolean): string {
  if (!canGoOn) return 'The walk ends at the open border, at the points marked.';
  return kind === 'loop'
    ? 'The walk stopped at the points marked. Click a neighbour of one with Select to go on that way.'
    : 'The walk met a triangle at the points marked. Click one of them with Select to turn about it and go on.';
}
