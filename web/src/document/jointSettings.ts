import { jointPath } from '@judoka/core/document';
import type { OpenDocument } from './OpenDocument.ts';

type Settings = Pick<OpenDocument, 'setValues' | 'jointName'>;

/** Locks a joint: no operation changes its weights then. */
export function setLocked(document: Settings, joint: number, isLocked: boolean): void {
  document.setValues(`${isLocked ? 'Lock' : 'Unlock'} ${document.jointName(joint)}`, {
    [jointPath('locks', joint)]: isLocked || null,
  });
}

/** Says whether bindings may give a joint weight. */
export function setDeforming(document: Settings, joint: number, deforms: boolean): void {
  document.setValues(`Deforming of ${document.jointName(joint)} ${deforms ? 'on' : 'off'}`, {
    [jointPath('nonDeforming', joint)]: deforms ? null : true,
  });
}
