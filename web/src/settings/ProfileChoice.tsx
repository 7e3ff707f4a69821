import { Button, FileButton, Group, Popover, Select, TextInput } from '@mantine/core';
import { ActionButton } from '../ui/ActionButton.tsx';
import {
  DEFAULT_PROFILE,
  type DeliveryProfile,
  patternTrouble,
  PROFILES,
  readProfile,
  WEIGHT_FORMAT_WORDS,
  WEIGHT_FORMATS,
} from '@judoka/core/document';
import { messageOf } from '@judoka/core/errors';
import { useState } from 'react';
import { settingsChanged } from './uiSettings.ts';
import { useAppDispatch, useUiSettings } from './store.ts';
import { NumberField } from '../ui/NumberField.tsx';
import { saveFile } from '../ui/saveFile.ts';

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
    <>
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
      <OwnFiles profile={profile} choose={choose} />
    </>
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
  const { pattern = '' } = draft.names ?? {};
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
        <div style={{ maxHeight: 'min(420px, 60vh)', overflow: 'auto', paddingRight: 4 }}>
          {figure('influences', 'Influences a vertex', 16)}
          {figure('joints', 'Joints a skin', 65535)}
          {figure('vertices', 'Vertices a part', 100_000_000)}
          <MoreLimits draft={draft} set={setDraft} />
        </div>
        <Button
          fullWidth
          mt={10}
          disabled={name === '' || wrong !== '' || patternTrouble(pattern) !== ''}
          onClick={save}
        >
          Save
        </Button>
      </Popover.Dropdown>
    </Popover>
  );
}

interface MoreLimitsProps {
  readonly draft: DeliveryProfile;
  readonly set: (profile: DeliveryProfile) => void;
}

/** Limits that a profile may leave open. */
function MoreLimits({ draft, set }: MoreLimitsProps) {
  const names = draft.names ?? { length: 0, pattern: '' };
  const [least, most] = draft.height ?? [0, 0];
  const height = (from: number, to: number): void =>
    set({ ...draft, height: to > 0 ? [Math.min(from, to), to] : undefined });
  return (
    <>
      <Select
        label="Weights in at most"
        data={[
          { value: '', label: 'any format' },
          ...WEIGHT_FORMATS.map((value) => ({ value, label: WEIGHT_FORMAT_WORDS[value] })),
        ]}
        value={draft.weights ?? ''}
        allowDeselect={false}
        onChange={(value) => set({ ...draft, weights: WEIGHT_FORMATS.find((one) => one === value) })}
      />
      <NumberField
        steppers
        label="Letters of a name"
        description="0: any number"
        min={0}
        max={1000}
        allowDecimal={false}
        value={names.length}
        onChange={(length) => set({ ...draft, names: { ...names, length } })}
      />
      <TextInput
        label="Names follow"
        description="a regular expression; empty: any"
        placeholder="[a-z_0-9]+"
        value={names.pattern}
        error={patternTrouble(names.pattern)}
        onChange={(event) => set({ ...draft, names: { ...names, pattern: event.currentTarget.value } })}
      />
      <TextInput
        label="Joints that have to be there"
        description="names, with commas between"
        value={(draft.required ?? []).join(', ')}
        onChange={(event) => {
          const required = event.currentTarget.value.split(',').map((name) => name.trimStart());
          set({ ...draft, required: required.join('') === '' ? undefined : required });
        }}
      />
      <Group gap={6} grow>
        <NumberField
          label="At least, m tall"
          min={0}
          max={1e5}
          value={least}
          onChange={(from) => height(from, most)}
        />
        <NumberField
          label="At most, m tall"
          min={0}
          max={1e5}
          value={most}
          onChange={(to) => height(least, to)}
        />
      </Group>
      <Select
        label="Up is"
        data={[
          { value: '', label: 'any way' },
          { value: 'Y', label: 'Y' },
          { value: 'Z', label: 'Z' },
        ]}
        value={draft.up ?? ''}
        allowDeselect={false}
        onChange={(value) => set({ ...draft, up: value === 'Y' || value === 'Z' ? value : undefined })}
      />
    </>
  );
}

/** A profile of one's own goes to others as a file, comes from them, and goes away. */
function OwnFiles({ profile, choose }: ProfileChoiceProps) {
  const dispatch = useAppDispatch();
  const { ownProfiles } = useUiSettings('ownProfiles');
  const [trouble, setTrouble] = useState('');
  const isOwn = ownProfiles.some(({ name }) => name === profile.name);
  const takeIn = async (file: File | null): Promise<void> => {
    if (!file) return;
    try {
      if (file.size > 1_000_000) throw new Error('The file is larger than a profile can be.');
      const read = readProfile(JSON.parse(await file.text()));
      const isShipped = SHIPPED.some(({ name }) => name.toLowerCase() === read.name.toLowerCase());
      const taken = isShipped ? { ...read, name: `${read.name}, own`.slice(0, 40) } : read;
      dispatch(
        settingsChanged({ ownProfiles: [...ownProfiles.filter(({ name }) => name !== taken.name), taken] }),
      );
      choose(taken);
      setTrouble('');
    } catch (error) {
      setTrouble(
        error instanceof SyntaxError ? `“${file.name}” is no JSON, so it is no profile.` : messageOf(error),
      );
    }
  };
  const remove = (): void => {
    dispatch(settingsChanged({ ownProfiles: ownProfiles.filter(({ name }) => name !== profile.name) }));
    choose(DEFAULT_PROFILE);
  };
  return (
    <>
      <Group gap={6} mt={6}>
        <FileButton accept=".json,application/json" onChange={(file) => void takeIn(file)}>
          {(props) => (
            <Button {...props} size="compact-xs" variant="default">
              From a file
            </Button>
          )}
        </FileButton>
        <Button
          size="compact-xs"
          variant="default"
          onClick={() =>
            saveFile(`${profile.name}.json`, new TextEncoder().encode(JSON.stringify(profile, null, 2)))
          }
        >
          Save as a file
        </Button>
        {isOwn && (
          <Button size="compact-xs" variant="default" onClick={remove}>
            Remove
          </Button>
        )}
      </Group>
      {trouble !== '' && (
        <div className="trouble" role="alert">
          {trouble}
        </div>
      )}
    </>
  );
}
