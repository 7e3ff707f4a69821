import { TextInput } from '@mantine/core';
import { useState } from 'react';

interface TextSettingProps {
  readonly label: string;
  readonly value: string;
  readonly keep: (value: string) => void;
}

/** A text that is kept when Enter is pressed or the field is left; Escape brings back what it was. */
export function TextSetting({ label, value, keep }: TextSettingProps) {
  const [text, setText] = useState(value);
  const settle = (): void => {
    const wanted = text.trim();
    if (wanted && wanted !== value) keep(wanted);
    else setText(value);
  };
  return (
    <TextInput
      label={label}
      maxLength={120}
      value={text}
      onChange={(event) => setText(event.currentTarget.value)}
      onBlur={settle}
      onKeyDown={(event) => {
        if (event.key === 'Enter') settle();
        if (event.key !== 'Escape' || text === value) return;
        event.stopPropagation();
        setText(value);
      }}
    />
  );
}
