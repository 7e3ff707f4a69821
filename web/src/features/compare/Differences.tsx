import { Button, Group, Progress, Select } from '@mantine/core';
import { counted } from '@judoka/core/document';
import { differencePage } from '@judoka/core/formats/report';
import { useEffect } from 'react';
import { useCharactersQuery } from '../../api/api.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { stageActions } from '../../scene/stageActions.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { momentWords } from '../../ui/momentWords.ts';
import { saveFile } from '../../ui/saveFile.ts';
import { Segments } from '../../ui/Segments.tsx';
import { comparedName, NOW, type Compared, type Comparing } from './Comparing.ts';

type At = Editing & { readonly comparing: Comparing };

/** So many joints and places are listed. */
const LISTED = 12;

/** Two states of the weights: which joints and places differ, most changed first, and which bends became better or worse. */
export function Differences({ at }: { at: At }) {
  const { comparing, document } = at;
  useEvent(comparing.events, 'changed');
  useEvent(document.moments.events, 'changed');
  useEvent(document.events, 'values');
  const dispatch = useAppDispatch();
  const { view, differenceOf } = useUiSettings('view', 'differenceOf');
  useEffect(() => comparing.open(), [comparing]);
  useEffect(() => {
    document.moments.refresh().catch(() => undefined);
  }, [document]);
  const { differences, trouble } = comparing;
  return (
    <section className="group" aria-label="What differs">
      <h2>What differs</h2>
      <Sides at={at} />
      {trouble !== undefined && <div className="trouble">{trouble}</div>}
      {differences && (
        <p className="card-line" data-differing={differences.points}>
          {differences.points === 0
            ? 'Nothing differs.'
            : `${counted(differences.points, 'point differs', 'points differ')} in ${counted(differences.places.length, 'place')}, of ${counted(differences.joints.length, 'joint')}.`}
        </p>
      )}
      {differences && differences.points > 0 && (
        <>
          <Segments
            name="Whose weights"
            choices={{ all: 'All joints', joint: 'Chosen joint' }}
            value={differenceOf}
            set={(next) => dispatch(settingsChanged({ differenceOf: next, view: 'difference' }))}
          />
          <Button
            fullWidth
            my={6}
            size="compact-sm"
            variant={view === 'difference' ? 'filled' : 'default'}
            aria-pressed={view === 'difference'}
            onClick={() => dispatch(settingsChanged({ view: view === 'difference' ? 'tide' : 'difference' }))}
          >
            Show it on the model
          </Button>
          <JointList at={at} />
          <PlaceList at={at} />
        </>
      )}
      {differences && <Bends at={at} />}
    </section>
  );
}

/** What is held against what. */
function Sides({ at }: { at: At }) {
  const { comparing, document } = at;
  const { data = [] } = useCharactersQuery(undefined);
  const points = document.parts.reduce((sum, { part }) => sum + part.pointCount, 0);
  const choices = new Map<string, { readonly label: string; readonly of: Compared }>([
    ['now', { label: 'Now', of: NOW }],
  ]);
  for (const choice of document.moments.choices())
    choices.set(`moment ${choice.at}`, {
      label: choice.madeAt === undefined ? choice.name : `${choice.name}, ${momentWords(choice.madeAt)}`,
      of: { kind: 'moment', choice },
    });
  for (const { id, name, points: own } of data)
    if (id !== document.id && own === points)
      choices.set(id, { label: name, of: { kind: 'other', id, name } });
  const keyOf = (of: Compared): string =>
    of.kind === 'now' ? 'now' : of.kind === 'moment' ? `moment ${of.choice.at}` : of.id;
  return (
    <>
      {(['before', 'after'] as const).map((side) => {
        const { of } = comparing[side];
        if (!choices.has(keyOf(of))) choices.set(keyOf(of), { label: comparedName(of), of });
        return (
          <Select
            key={side}
            size="xs"
            mb={4}
            label={side === 'before' ? 'Before' : 'After'}
            searchable
            data={[...choices].map(([value, { label }]) => ({ value, label }))}
            value={keyOf(of)}
            allowDeselect={false}
            onChange={(key) => {
              const chosen = choices.get(key ?? '');
              if (chosen) comparing.choose(side, chosen.of);
            }}
          />
        );
      })}
    </>
  );
}

function JointList({ at: { comparing, document, scene } }: { at: At }) {
  const joints = comparing.differences?.joints ?? [];
  return (
    <ol className="rank" aria-label="Joints that differ">
      {joints.slice(0, LISTED).map(({ joint, more, less, points }) => (
        <li key={joint}>
          <button
            type="button"
            onClick={() => {
              scene.chooseJoint(joint);
              stageActions()?.frameJoint();
            }}
          >
            <span className="rank-name">{document.jointName(joint)}</span>
            <span className="rank-figure figures">{`+${more.toFixed(1)} −${less.toFixed(1)}`}</span>
            <span className="rank-words">{counted(points, 'point')}</span>
          </button>
        </li>
      ))}
    </ol>
  );
}

function PlaceList({ at: { comparing, document, scene } }: { at: At }) {
  const places = comparing.differences?.places ?? [];
  return (
    <ol className="rank" aria-label="Places that differ" style={{ marginTop: 8 }}>
      {places.slice(0, LISTED).map(({ part, points, joint, point, most }) => (
        <li key={`${part} ${point}`}>
          <button
            type="button"
            onClick={() => {
              scene.chooseJoint(joint);
              scene.setMarks({ points: new Map([[part, points]]), joints: [] });
            }}
          >
            <span className="rank-name">{`${document.partName(part)}, ${document.jointName(joint)}`}</span>
            <span className="rank-figure figures">{most.toFixed(2)}</span>
            <span className="rank-words">{`${counted(points.length, 'point')}; the most that one differs by`}</span>
          </button>
        </li>
      ))}
    </ol>
  );
}

/** Which bends became better and which worse. */
function Bends({ at }: { at: At }) {
  const { comparing, document, scene } = at;
  const { bends, measuring } = comparing;
  if (measuring !== undefined)
    return (
      <div className="transfer-busy" role="status">
        <span>Measuring bends …</span>
        <Progress value={measuring * 100} style={{ flex: 1 }} />
        <Button size="compact-xs" variant="default" onClick={() => comparing.stopMeasuring()}>
          Stop
        </Button>
      </div>
    );
  const better = bends?.filter((bend) => bend.after < bend.before).length ?? 0;
  return (
    <>
      <Group gap={6} mt={8}>
        <ActionButton
          name="Measure what became of the bends"
          size="compact-sm"
          variant="default"
          onClick={() => void comparing.measure()}
        >
          Measure the bends of both
        </ActionButton>
        <ActionButton
          name="Save what differs as a page"
          size="compact-sm"
          variant="default"
          onClick={() => savePage(at)}
        >
          Save as a page
        </ActionButton>
      </Group>
      {bends && (
        <p className="card-line" data-bends={bends.length}>
          {bends.length === 0
            ? 'No bend is better or worse for it.'
            : `${counted(better, 'bend is', 'bends are')} better, ${bends.length - better} worse: how far the worst edge is stretched.`}
        </p>
      )}
      <ol className="rank" aria-label="Bends that differ">
        {bends?.slice(0, LISTED).map(({ joint, before, after }) => (
          <li key={joint} data-better={after < before}>
            <button type="button" onClick={() => scene.chooseJoint(joint)}>
              <span className="rank-name">{document.jointName(joint)}</span>
              <span className="rank-figure figures">{`×${(1 + before).toFixed(2)} → ×${(1 + after).toFixed(2)}`}</span>
              <span className="rank-words">{after < before ? 'better' : 'worse'}</span>
            </button>
          </li>
        ))}
      </ol>
    </>
  );
}

function savePage({ comparing, document }: At): void {
  const { differences, bends, before, after } = comparing;
  if (!differences) return;
  const page = differencePage({
    name: document.name,
    before: comparedName(before.of),
    after: comparedName(after.of),
    at: new Date(),
    differences,
    bends,
    jointName: (joint) => document.jointName(joint),
    partName: (part) => document.partName(part),
    picture: stageActions()?.picture(),
  });
  saveFile(`${document.name}, what differs.html`, new TextEncoder().encode(page), 'text/html');
}
