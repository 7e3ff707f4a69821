import type { OpenDocument } from '../document/OpenDocument.ts';
import type { Scene } from './Scene.ts';

/** A document and the scene that shows it: what nearly everything that a person does needs, and nothing more. */
export interface Editing {
  readonly document: OpenDocument;
  readonly scene: Scene;
}
