import { Button, Group, Progress } from '@mantine/core';

export function RunButton({
  running,
  run,
  stop,
  label,
  disabled = false,
}: {
  running: { what: string; share: number } | undefined;
  run: () => void;
  stop: () => void;
  label: string;
  disabled?: boolean;
}) {
  if (!running)
    return (
      <Button fullWidth onClick={run} disabled={disabled}>
        {label}
      </Button>
    );
  return (
    <Group gap={8} wrap="nowrap">
      <div style={{ flex: 1 }}>
        <div className="card-line">{running.what}</div>
        <Progress value={running.share * 100} aria-label={running.what} />
      </div>
      <Button variant="default" onClick={stop}>
        Stop
      </Button>
    </Group>
  );
}
