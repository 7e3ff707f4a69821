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
  gradient: 'Gradient',
  add: 'Add',
  take: 'Take away',
  set: 'Set to',
  smooth: 'Smooth',
  sharpen: 'Sharpen',
  scale: 'Scale',
};

export const TOOLS: readonly Tool[] = ['pose', 'add', 'take', 'set', 'smooth', 'sharpen', 'scale'];
