import type { Workspace } from '../Workspace.ts';
import { useEvent } from '../../document/useEvent.ts';
import { type Tool } from '../../settings/uiSettings.ts';
import { useUiSettings } from '../../settings/store.ts';

const REST_WORDS: Partial<Record<Tool, string>> = {
  place: 'Rest pose: drag a joint to where the body bends',
  grow: 'Rest pose: click on the body for a joint in its middle; click on a joint to go on from it',
  outline: 'Rest pose: click an outline to add a point, drag points and handles',
  reach: 'Rest pose: choose a joint, drag the edges of its reach',
};

function RestNote({ at }: { at: Workspace }) {
  const { tool } = useUiSettings('tool');
  const ghost = at.scene.ghost.length > 0 ? 'Rest pose: the source lies over the character' : undefined;
  return <div className="stage-note">{ghost ?? REST_WORDS[tool] ?? 'Rest pose, while Space is held'}</div>;
}

/** What the stage says of itself: that it stands at rest, or how to begin. */
export function StageHint({ at }: { at: Workspace }) {
  useEvent(at.scene.events, 'pose');
  if (at.scene.showsRest) return <RestNote at={at} />;
  if (at.scene.joint >= 0 || at.document.skeleton.joints.length === 0) return null;
  const camera = at.document.character.drawing
    ? 'Right or middle drag pans, the wheel zooms.'
    : 'Right drag orbits, middle drag pans, the wheel zooms.';
  return <div className="stage-note">Click a bone to begin. {camera}</div>;
}
