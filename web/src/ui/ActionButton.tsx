import { Button, type ButtonProps } from '@mantine/core';
import { useEffect, useRef, type ComponentPropsWithoutRef } from 'react';
import { offerAction } from './panelActions.ts';

interface ActionButtonProps
  extends ButtonProps, Pick<ComponentPropsWithoutRef<'button'>, 'title' | 'aria-pressed'> {
  /** As it is called among the commands. */
  readonly name: string;
  readonly onClick: () => void;
}

/** A button of a panel that is a command as well (Ctrl+K). */
export function ActionButton({ name, onClick, ...props }: ActionButtonProps) {
  const run = useRef(onClick);
  useEffect(() => {
    run.current = onClick;
  });
  const isReady = props.disabled !== true && props.loading !== true;
  useEffect(() => offerAction({ name, run: () => run.current(), isReady }), [name, isReady]);
  return <Button {...props} data-action={name} onClick={onClick} />;
}
