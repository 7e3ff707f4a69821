import { Button, type ButtonProps } from '@mantine/core';
import type { ReactNode } from 'react';
import { toolChosen, type Tool } from './uiSettings.ts';
import { useAppDispatch, useUiSettings } from './store.ts';

interface ToolToggleProps extends ButtonProps {
  readonly tool: Tool;
  readonly children: ReactNode;
}

/** Takes a tool in the hand, and puts it down again. */
export function ToolToggle({ tool, ...rest }: ToolToggleProps) {
  const dispatch = useAppDispatch();
  const held = useUiSettings('tool').tool === tool;
  return (
    <Button
      fullWidth
      {...rest}
      variant={held ? 'filled' : 'default'}
      aria-pressed={held}
      onClick={() => dispatch(toolChosen(held ? 'pose' : tool))}
    />
  );
}
