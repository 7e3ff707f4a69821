import { Select, TextInput } from '@mantine/core';
import { counted } from '@judoka/core/document';
import type { JointMatch, MatchBasis } from '@judoka/core/operations/transfer';
import { liveJoints } from '@judoka/core/skeleton';
import { useMemo, useState } from 'react';
import { ActionButton } from '../../ui/ActionButton.tsx';
import type { TransferAt } from './transferAt.ts';

const BASIS_WORDS: Readonly<Record<MatchBasis, string>> = {
  given: 'set by hand',
  name: 'same name',
  words: 'same words',
  role: 'same in a body',
  place: 'same place',
  above: 'what it hangs on',
  none: 'nothing',
};

/** Rows that are shown before one has to search. */
const MAX_ROWS = 60;
const FOUND = 'found';
const NONE = 'none';

/** Which joint of the character takes the weight of each joint of the source, those least sure first. */
export function JointTable({ at }: { at: TransferAt }) {
  const { transfers, document } = at;
  const { skeleton } = document;
  const { prepared, source } = transfers;
  const [wanted, setWanted] = useState('');
  const rows = useMemo(() => {
    const massOf = (joint: number): number => source?.joints[joint].mass ?? 0;
    return (prepared?.joints ?? [])
      .filter(({ source: joint }) => massOf(joint) > 0)
      .filter(({ source: joint }) =>
        source?.joints[joint].name.toLowerCase().includes(wanted.trim().toLowerCase()),
      )
      .sort((a, b) => a.sure - b.sure || massOf(b.source) - massOf(a.source));
  }, [prepared, source, wanted]);
  const choices = useMemo(
    () => [
      { value: FOUND, label: 'As found' },
      { value: NONE, label: 'Nothing' },
      ...liveJoints(skeleton).map((joint) => ({
        value: String(joint),
        label: skeleton.joints[joint].name,
      })),
    ],
    [skeleton],
  );
  if (!prepared || !source) return null;
  const missing = transfers.missing();
  const unsure = rows.filter(({ sure }) => sure < 0.7).length;
  return (
    <section className="group" aria-label="Joints">
      <h2>Joints</h2>
      <p className="card-line" data-missing={missing.length}>
        {counted(rows.length, 'joint with weight', 'joints with weight')}
        {unsure > 0 ? `, ${unsure} of them less sure: they stand first.` : ', all surely matched.'}
      </p>
      {missing.length > 0 && document.mayChange && (
        <ActionButton
          name="Add the source’s joints that are missing"
          size="compact-sm"
          variant="default"
          mb={6}
          onClick={() => {
            transfers.addMissing().catch(document.notifyError);
          }}
        >
          {missing.length === 1 ? 'Add the missing joint' : `Add the ${missing.length} missing joints`}
        </ActionButton>
      )}
      <TextInput
        size="xs"
        mb={4}
        aria-label="Find a joint of the source"
        placeholder="Find a joint of the source"
        value={wanted}
        onChange={(event) => setWanted(event.currentTarget.value)}
      />
      <ul className="transfer-joints">
        {rows.slice(0, MAX_ROWS).map((match) => (
          <Row key={match.source} at={at} match={match} choices={choices} />
        ))}
      </ul>
      {rows.length > MAX_ROWS && (
        <p className="card-line">{rows.length - MAX_ROWS} more; search to see them.</p>
      )}
    </section>
  );
}

interface RowProps {
  readonly at: TransferAt;
  readonly match: JointMatch;
  readonly choices: readonly { readonly value: string; readonly label: string }[];
}

function Row({ at: { transfers, document }, match, choices }: RowProps) {
  const { source: joint, target, basis, sure } = match;
  const name = transfers.source?.joints[joint].name ?? '';
  const given = transfers.given.get(joint);
  const value = given === undefined ? FOUND : given < 0 ? NONE : String(given);
  const found = target < 0 ? 'Nothing' : document.jointName(target);
  return (
    <li data-sure={sure} data-basis={basis}>
      <span className="transfer-name" title={name}>
        {name}
      </span>
      <Select
        size="xs"
        aria-label={`Where ${name} goes`}
        searchable
        selectFirstOptionOnChange
        data={choices.map((choice) =>
          choice.value === FOUND ? { ...choice, label: given === undefined ? found : 'As found' } : choice,
        )}
        value={value}
        allowDeselect={false}
        onChange={(next) =>
          transfers.setGiven(
            joint,
            next === null || next === FOUND ? undefined : next === NONE ? -1 : Number(next),
          )
        }
      />
      <span className="card-line">{BASIS_WORDS[basis]}</span>
    </li>
  );
}
