import { Button, Group, Popover, Select, TextInput } from '@mantine/core';
import { ActionButton } from '../ui/ActionButton.tsx';
import { DEFAULT_PROFILE, type DeliveryProfile, patternTrouble, PROFILES } from '@judoka/core/document';
import { useState } from 'react';
import { settingsChanged } from './uiSettings.ts';
import { useAppDispatch, useUiSettings } from './store.ts';
import { NumberField } from '../ui/NumberField.tsx';

const SHIPPED = [DEFAULT_PROFILE, ...PROFILES];

interface ProfileChoiceProps {
  readonly profile: DeliveryProfile;
  readonly choose: (profile: DeliveryProfile) => void;
}

/** The limits that a character is held against: some of ours, and the person's own. */
export function ProfileChoice({ profile, choose }: ProfileChoiceProps) {
  const { ownProfiles } = useUiSettings('ownProfiles');
  const all = [...SHIPPED, ...ownProfiles];
  return (
    <Group gap={6} mt={8} wrap="nowrap">
      <Select
        style={{ flex: 1 }}
        aria-label="Limits of"
        data={all.map(({ name }) => name)}
        value={profile.name}
        allowDeselect={false}
        onChange={(name) => choose(all.find((one) => one.name === name) ?? DEFAULT_PROFILE)}
      />
      <OwnProfile taken={all.map(({ name }) => name.toLowerCase())} choose={choose} like={profile} />
    </Group>
  );
}

interface OwnProfileProps {
  readonly taken: readonly string[];
  readonly choose: (profile: DeliveryProfile) => void;
  readonly like: DeliveryProfile;
}

function OwnProfile({ taken, choose, like }: OwnProfileProps) {
  const dispatch = useAppDispatch();
  const { ownProfiles } = useUiSettings('ownProfiles');
  const [opened, setOpened] = useState(false);
  const [draft, setDraft] = useState<DeliveryProfile>({ ...like, name: '' });
  const name = draft.name.trim();
  const names = draft.names ?? { length: 0, pattern: '' };
  const wrong = taken.includes(name.toLowerCase()) ? 'There is one of this name.' : '';
  const save = (): void => {
    const profile = { ...draft, name };
    dispatch(settingsChanged({ ownProfiles: [...ownProfiles, profile] }));
    choose(profile);
    setOpened(false);
  };
  const figure = (key: 'influences' | 'joints' | 'vertices', label: string, most: number) => (
    <NumberField
      steppers
      label={label}
      min={1}
      max={most}
      allowDecimal={false}
      value={draft[key]}
      onChange={(value) => setDraft({ ...draft, [key]: value })}
    />
  );
  return (
    <Popover opened={opened} onChange={setOpened} position="bottom-end" width={220} trapFocus withinPortal>
      <Popover.Target>
        <ActionButton
          name="Own limits"
          variant="default"
          onClick={() => {
            setDraft({ ...like, name: '' });
            setOpened(!opened);
          }}
        >
          Own limits
        </ActionButton>
      </Popover.Target>
      <Popover.Dropdown>
        <TextInput
          label="Name"
          maxLength={40}
          value={draft.name}
          error={wrong}
          onChange={(event) => setDraft({ ...draft, name: event.currentTarget.value })}
        />
        {figure('influences', 'Influences a vertex', 16)}
        {figure('joints', 'Joints', 65535)}
        {figure('vertices', 'Vertices', 100_000_000)}
        <NumberField
          steppers
          label="Letters of a name"
          description="0: any number"
          min={0}
          max={1000}
          allowDecimal={false}
          value={names.length}
          onChange={(length) => setDraft({ ...draft, names: { ...names, length } })}
        />
        <TextInput
          label="Names follow"
          description="a regular expression; empty: any"
          placeholder="[a-z_0-9]+"
          value={names.pattern}
          error={patternTrouble(names.pattern)}
          onChange={(event) =>
            setDraft({ ...draft, names: { ...names, pattern: event.currentTarget.value } })
          }
        />
        <Button
          fullWidth
          mt={10}
          disabled={name === '' || wrong !== '' || patternTrouble(names.pattern) !== ''}
          onClick={save}
        >
          Save
        </Button>
      </Popover.Dropdown>
    </Popover>
  );
}
