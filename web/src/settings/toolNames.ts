import type { Tool } from './uiSettings.ts';

/** Tools as the person reads them. */
export const TOOL_NAMES: Readonly<Record<Tool, string>> = {
  pose: 'Pose',
  place: 'Place',
  grow: 'Add joints',
  reach: 'Reach',
  select: 'Select',
  block: 'Block in',
  tie: 'Tie',
  outline: 'Outline',
  mesh: 'Mesh',
  gradient: 'Gradient',
  add: 'Add',
  take: 'Take away',
  set: 'Set to',
  smooth: 'Smooth',
  sharpen: 'Sharpen',
  scale: 'Scale',
  restore: 'Bring back',
  shape: 'Shape',
};

export const TOOLS: readonly Tool[] = ['pose', 'add', 'take', 'set', 'smooth', 'sharpen', 'scale'];

/** In the order of the number keys. */
export const KEYED_TOOLS: readonly Tool[] = [...TOOLS, 'select', 'gradient', 'restore', 'shape'];

/** The number key that a tool has until the person chooses another; those beyond the tenth have none. */
export function toolKey(tool: Tool): string {
  const at = KEYED_TOOLS.indexOf(tool) + 1;
  return at > 10 ? '' : String(at % 10);
}
