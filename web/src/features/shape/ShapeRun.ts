import { partAt } from '@judoka/core/document';
import type { PointMask } from '@judoka/core/mesh';
import { type ShapeReport, ShapeStroke } from '@judoka/core/operations/shape';
import { areasOf, type Change } from '@judoka/core/weights';
import type { TakesDabs } from '../../scene/DabLine.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import { confinesOf } from '../../scene/scope.ts';
import { needPairs } from '../../scene/needPairs.ts';
import { movesOf } from '../../scene/brushMoves.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { ShapeMode } from '../../settings/uiSettings.ts';

/** What shaping asks of the mirror. */
export interface ShapeMirror {
  readonly live: boolean;
  readonly space: { readonly firstPoint: Uint32Array };
  readonly pairs: Int32Array | undefined;
}

export interface ShapeRunSettings {
  readonly mode: ShapeMode;
  readonly strength: number;
  readonly limit: number;
  /** How much other bends count, 0..1. */
  readonly others: number;
}

/** A drag's points, where they were when it began. */
interface Held {
  readonly part: ScenePart;
  readonly points: Uint32Array;
  readonly amounts: Float32Array;
}

/** One stroke on the bent surface, over any number of parts: dabs for {@link DabLine}, or points that are dragged. */
export class ShapeRun implements TakesDabs {
  readonly #at: Editing;
  readonly #mirror: ShapeMirror;
  readonly #settings: ShapeRunSettings;
  readonly #strokes = new Map<number, ShapeStroke>();
  #held: Held[] = [];

  /** @throws CoreError argument-invalid while the mirror has no counterparts */
  constructor(at: Editing, mirror: ShapeMirror, settings: ShapeRunSettings) {
    needPairs(mirror);
    this.#at = at;
    this.#mirror = mirror;
    this.#settings = settings;
  }

  dab(part: ScenePart, count: number, pressure: number, hit: StageHit, radius: number): void {
    const { mode, strength } = this.#settings;
    if (mode === 'drag' || count === 0) return;
    const { points, amounts } = part.paint;
    const moves = movesOf(mode, part, { points, count, amounts }, strength * pressure, hit.place, radius);
    this.#move(part, points, count, moves, 'now');
  }

  /** Takes the first `count` points of a part's workspace into the hand, with their falloff in its amounts. */
  hold(part: ScenePart, count: number): void {
    const { points, amounts } = part.paint;
    if (count > 0)
      this.#held.push({ part, points: points.slice(0, count), amounts: amounts.slice(0, count) });
  }

  /** Drags what is held so far from where it was. */
  drag(by: readonly [number, number, number]): void {
    for (const { part, points, amounts } of this.#held) {
      const moves = new Float64Array(points.length * 3);
      for (let i = 0; i < moves.length; i++) moves[i] = amounts[Math.floor(i / 3)] * by[i % 3];
      part.paint.points.set(points);
      this.#move(part, part.paint.points, points.length, moves, 'start');
    }
  }

  #move(
    part: ScenePart,
    points: Uint32Array,
    count: number,
    moves: Float64Array,
    from: 'now' | 'start',
  ): void {
    const open = this.#strokeOn(part).move(points, count, moves, from);
    this.#at.document.rowsWritten(part.index, points, open);
  }

  #strokeOn(part: ScenePart): ShapeStroke {
    const known = this.#strokes.get(part.index);
    if (known) return known;
    const { document, scene } = this.#at;
    const { limit, others } = this.#settings;
    const { rest, rows, palette } = part.skin;
    // The pose that is shaped does not hold itself back.
    const elsewhere = scene.strip.palettesOf(part).filter((one) => !isAlike(one, palette));
    const stroke = new ShapeStroke(
      part.index,
      { rest, rows, neighbours: part.paint.neighbours, palettes: [palette.slice(), ...elsewhere] },
      {
        ...{ limit, others, locks: document.locks, mask: this.#maskOf(part) },
        anchors: part.anchors,
        areas: areasOf(confinesOf(this.#at), part.index),
      },
    );
    this.#strokes.set(part.index, stroke);
    return stroke;
  }

  #maskOf(part: ScenePart): PointMask | undefined {
    const { selection } = this.#at.scene;
    const isOpen = (p: number): boolean =>
      (selection.count === 0 || selection.masks[part.index][p] === 1) && !part.hidden?.[p];
    if (selection.count === 0 && !part.hidden) return undefined;
    return Uint8Array.from({ length: part.part.pointCount }, (_, p) => (isOpen(p) ? 1 : 0));
  }

  /** The change, mirrored if that is wanted, and how far weights could go along. */
  finish(): { change: Change; report: ShapeReport } {
    if (this.#mirror.live) this.#mirrorAll();
    const ended = [...this.#strokes].sort(([a], [b]) => a - b).map(([, stroke]) => stroke.finish());
    const sum = (of: (report: ShapeReport) => number): number =>
      ended.reduce((all, { report }) => all + of(report), 0) / Math.max(1, ended.length);
    return {
      change: ended.flatMap(({ delta }) => (delta.points.length > 0 ? [delta] : [])),
      report: { asked: sum(({ asked }) => asked), left: sum(({ left }) => left) },
    };
  }

  /** The other side gets what this one has got. */
  #mirrorAll(): void {
    const { pairs, space } = this.#mirror;
    if (!pairs) return;
    const { scene, document } = this.#at;
    const { partner } = document.pairs;
    const done = [...this.#strokes].map(([index, stroke]) => ({ index, ...stroke.finish() }));
    const changed = new Set(
      done.flatMap(({ index, delta }) => [...delta.points].map((p) => space.firstPoint[index] + p)),
    );
    for (const { index, delta } of done)
      for (const p of delta.points) {
        const other = pairs[space.firstPoint[index] + p];
        // What lies on the middle, or was shaped on both sides, stays as it is.
        if (other < 0 || changed.has(other)) continue;
        const target = scene.parts[partAt(space.firstPoint, other)];
        if (target.part.role !== 'skinned') continue;
        const q = other - space.firstPoint[target.index];
        if (!this.#strokeOn(target).mirror(q, scene.parts[index].skin.rows, p, partner)) continue;
        target.paint.points[0] = q;
        document.rowsWritten(target.index, target.paint.points, 1);
      }
  }
}

const isAlike = (a: Float32Array, b: Float32Array): boolean =>
  a.every((x, i) => Math.abs(x - b[i]) <= 1e-5 * (1 + Math.abs(x)));
