import { REST_JOINT, type JointPose, type Pose } from '../skeleton/pose.ts';

/** Another order while a joint is turned: a layer lies right over or under another one. */
export interface OrderRule {
  readonly layer: number;
  readonly isOver: boolean;
  readonly other: number;
  readonly joint: number;
  /** It holds from this turn of the joint on, away from rest: degrees in the page, not 0. */
  readonly angle: number;
  readonly savedAt: number;
}

export interface LayerOrder {
  /** Layers from back to front; empty where they lie as in the file. */
  readonly order: readonly number[];
  /** The first one comes first. */
  readonly orderRules: readonly OrderRule[];
}

/** How far a joint is turned in the page, in degrees. */
export function pageTurn(pose: Pose, joint: number): number {
  const { rotation } = (pose[joint] as JointPose | undefined) ?? REST_JOINT;
  const angle = (2 * Math.atan2(rotation[2], rotation[3]) * 180) / Math.PI;
  return angle > 180 ? angle - 360 : angle < -180 ? angle + 360 : angle;
}

const holds = ({ joint, angle }: OrderRule, pose: Pose): boolean =>
  angle > 0 ? pageTurn(pose, joint) >= angle : pageTurn(pose, joint) <= angle;

/** Layers of a drawing in the order that they are drawn in, from back to front, in a pose. */
export function layersInOrder(count: number, { order, orderRules }: LayerOrder, pose: Pose): number[] {
  const isLayer = (layer: number): boolean => Number.isInteger(layer) && layer >= 0 && layer < count;
  const layers = [...new Set(order.filter(isLayer))];
  for (let layer = 0; layer < count; layer++) if (!layers.includes(layer)) layers.splice(layer, 0, layer);
  for (const rule of orderRules) {
    const { layer, isOver, other } = rule;
    if (layer === other || !isLayer(layer) || !isLayer(other) || !holds(rule, pose)) continue;
    layers.splice(layers.indexOf(layer), 1);
    layers.splice(layers.indexOf(other) + (isOver ? 1 : 0), 0, layer);
  }
  return layers;
}

/** An order with a layer one place nearer to the front, or to the back; the same where there is none. */
export function movedLayer(layers: readonly number[], layer: number, toFront: boolean): number[] {
  const from = layers.indexOf(layer);
  const to = from + (toFront ? 1 : -1);
  if (from < 0 || to < 0 || to >= layers.length) return [...layers];
  const next = [...layers];
  [next[from], next[to]] = [next[to], next[from]];
  return next;
}
