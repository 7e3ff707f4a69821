import { Button, Group, TextInput } from '@mantine/core';
import { useState } from 'react';

interface KeepFieldProps {
  readonly label: string;
  readonly act: string;
  /** Shown in the empty field: what there is to keep, or why there is nothing. */
  readonly hint: string;
  readonly disabled: boolean;
  readonly keep: (name: string) => Promise<unknown>;
  readonly failed: (error: Error) => void;
}

/** A name, and a button that keeps something under it. */
export function KeepField({ label, act, hint, disabled, keep, failed }: KeepFieldProps) {
  const [name, setName] = useState('');
  const can = !disabled && name.trim() !== '';
  const run = (): void => {
    if (can) keep(name.trim()).then(() => setName(''), failed);
  };
  return (
    <Group gap={6} wrap="nowrap" mb={8}>
      <TextInput
        aria-label={label}
        placeholder={hint}
        style={{ flex: 1 }}
        maxLength={120}
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
        onKeyDown={(event) => event.key === 'Enter' && run()}
      />
      <Button variant="default" disabled={!can} onClick={run}>
        {act}
      </Button>
    </Group>
  );
}
