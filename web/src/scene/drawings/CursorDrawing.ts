import {
  BufferGeometry,
  Float32BufferAttribute,
  LineBasicMaterial,
  LineLoop,
  Quaternion,
  Vector3,
  type Camera,
} from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { srgb } from './clay.ts';
import type { Hit } from '../picking/Picker.ts';

/** Two places of the scene, one after the other. */
export type Tether = readonly number[];

/** What follows the hand: the brush on the surface, where the surface has gone meanwhile, a box's or lasso's line. */
export class CursorDrawing {
  readonly brush: LineLoop;
  readonly outline: LineLoop;
  readonly tether: LineLoop;

  constructor(tokens: Tokens) {
    const ring: number[] = [];
    for (let i = 0; i < 64; i++) ring.push(Math.cos((i * Math.PI) / 32), Math.sin((i * Math.PI) / 32), 0);
    this.brush = accentLoop(tokens, ring);
    this.outline = accentLoop(tokens, []);
    this.tether = accentLoop(tokens, []);
  }

  dispose(): void {
    for (const { geometry, material } of [this.brush, this.outline, this.tether]) {
      geometry.dispose();
      (material as LineBasicMaterial).dispose();
    }
  }

  /** The brush on the surface; nothing where there is no hit. */
  showBrush(hit: Hit | undefined, radius: number): void {
    this.brush.visible = hit !== undefined;
    if (!hit) return;
    const normal = new Vector3(...hit.normal);
    this.brush.position.set(...hit.place).addScaledVector(normal, radius * 0.02);
    this.brush.quaternion.copy(new Quaternion().setFromUnitVectors(new Vector3(0, 0, 1), normal));
    this.brush.scale.setScalar(radius);
  }

  /** From the brush to where the surface below it has gone; none for undefined. */
  showTether(tether: Tether | undefined): void {
    this.tether.visible = tether !== undefined;
    if (!tether) return;
    this.tether.geometry.dispose();
    this.tether.geometry = lineOf([...tether]);
  }

  /** A closed line over a stage of this size, in pixels; none for undefined. */
  showOutline(line: Float32Array | undefined, camera: Camera, width: number, height: number): void {
    this.outline.visible = line !== undefined;
    if (!line) return;
    const places: number[] = [];
    for (let i = 0; i < line.length; i += 2) {
      const at = new Vector3((line[i] / width) * 2 - 1, 1 - (line[i + 1] / height) * 2, 0);
      places.push(...at.unproject(camera).toArray());
    }
    this.outline.geometry.dispose();
    this.outline.geometry = lineOf(places);
  }
}

/** A closed line in the accent's colour, over everything; hidden at first. */
function accentLoop(tokens: Tokens, places: number[]): LineLoop {
  const material = new LineBasicMaterial({ depthTest: false, transparent: true, toneMapped: false });
  material.color = srgb(tokens.accent).convertSRGBToLinear();
  const loop = new LineLoop(lineOf(places), material);
  loop.visible = false;
  loop.frustumCulled = false;
  loop.renderOrder = 13;
  return loop;
}

const lineOf = (places: number[]): BufferGeometry =>
  new BufferGeometry().setAttribute('position', new Float32BufferAttribute(places, 3));
