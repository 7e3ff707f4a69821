import { Button, Group, Select, Slider } from '@mantine/core';
import type { ProfileLine } from '@judoka/core/analysis/profile';
import { counted, WEIGHT_FORMAT_WORDS, type Delivery } from '@judoka/core/document';
import { liveJoints } from '@judoka/core/skeleton';
import { useEffect, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { ProfileChoice } from '../../settings/ProfileChoice.tsx';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { CostFigures, RoundingCost } from './CostFigures.tsx';
import { costWords, lengthWords } from '../../ui/lengthWords.ts';
import { CureRun } from './CureRun.tsx';
import type { Cure } from './cures.ts';
import type { Delivering } from './Delivering.ts';

type At = Editing & {
  readonly delivering: Delivering;
  readonly checkUp: { setProfile: Delivering['setProfile'] };
};

/** The profile's limits, worst first, each with what meets it and what that costs. */
export function LimitsPage({ at }: { at: At }) {
  useEvent(at.delivering.events, 'changed');
  const { delivering } = at;
  const lines = delivering.lines();
  const open = lines.filter(({ isMet }) => !isMet).length;
  return (
    <>
      <section className="group">
        <h2>Limits</h2>
        <ProfileChoice profile={delivering.profile} choose={(profile) => delivering.setProfile(profile)} />
        <div className={`trouble${open === 0 ? ' fine' : ''}`} role="status" style={{ marginTop: 8 }}>
          {open === 0
            ? `All limits of “${delivering.profile.name}” are met.`
            : `${counted(open, 'limit is', 'limits are')} not met.`}
        </div>
      </section>
      <div role="list" aria-label="Limits">
        {lines.map((line) => (
          <div
            key={line.limit}
            role="listitem"
            className="limit-line"
            data-met={line.isMet}
            data-limit={line.limit}
          >
            <div className={`trouble${line.isMet ? ' fine' : ''}`}>{line.words}</div>
            <LineCures at={at} line={line} />
          </div>
        ))}
      </div>
    </>
  );
}

/** What can be done about a line; and what was done, while that is not decided. */
function LineCures({ at, line }: { at: At; line: ProfileLine }) {
  const { delivering } = at;
  const { cure } = delivering;
  if (cure && cure.kind === line.limit) return <CureSlider at={at} cure={cure} />;
  if (line.isMet) return <TakenBack at={at} line={line} />;
  if (!at.document.mayChange && line.limit !== 'weights') return null;
  switch (line.limit) {
    case 'influences':
      return (
        <CureRun
          at={at}
          what="Weighing influences"
          label="Fewer influences, by least movement"
          run={() => delivering.findInfluences()}
        />
      );
    case 'joints':
      return <JointCures at={at} line={line} />;
    case 'vertices':
      return (
        <Setting
          at={at}
          set={{ maxVertices: delivering.profile.vertices }}
          label="Split parts where they leave"
          costs="Costs nothing in shape; cuts double the vertices along them."
        />
      );
    case 'weights':
      return <RoundingCure at={at} />;
    case 'names':
      return <NameCure at={at} />;
    case 'required':
      return <RequiredCure at={at} line={line} />;
    case 'height':
      return <HeightCure at={at} line={line} />;
    default:
      return (
        <Setting
          at={at}
          set={{ up: delivering.profile.up }}
          label={`${delivering.profile.up ?? 'Y'} up, by a node above all`}
          costs="Costs nothing."
        />
      );
  }
}

interface SettingProps {
  readonly at: At;
  readonly set: Partial<Delivery>;
  readonly label: string;
  readonly costs: string;
}

/** A cure of the file that goes out alone. */
function Setting({ at, set, label, costs }: SettingProps) {
  return (
    <div className="limit-cure">
      <Button fullWidth variant="default" onClick={() => at.delivering.setDelivery(set)}>
        {label}
      </Button>
      <div className="card-line">{costs}</div>
    </div>
  );
}

/** What of the file that goes out meets a limit can be taken back. */
function TakenBack({ at, line }: { at: At; line: ProfileLine }) {
  const { delivering } = at;
  const { delivery } = delivering;
  const back: Partial<Record<ProfileLine['limit'], [boolean, Partial<Delivery>, string]>> = {
    joints: [
      delivery.leavesEmptyJoints || delivery.maxJoints > 0,
      { leavesEmptyJoints: false, maxJoints: 0 },
      delivery.maxJoints > 0 ? 'Parts are split where they leave.' : 'Joints without weight leave the skins.',
    ],
    vertices: [delivery.maxVertices > 0, { maxVertices: 0 }, 'Parts are split where they leave.'],
    height: [delivery.scale !== 1, { scale: 1 }, `It leaves ${delivery.scale} times as large.`],
    up: [delivery.up === 'Z', { up: 'Y' }, 'A node above all turns it.'],
    weights: [delivery.weights !== 'f32', { weights: 'f32' }, ''],
  };
  const [isOn, undone, words] = back[line.limit] ?? [false, {}, ''];
  return (
    <>
      {isOn && (
        <Group gap={6} justify="space-between" wrap="nowrap">
          <span className="card-line">{words}</span>
          <Button size="compact-xs" variant="default" onClick={() => delivering.setDelivery(undone)}>
            As it was
          </Button>
        </Group>
      )}
      {line.limit === 'weights' && isOn && <RoundingCost at={at} format={delivery.weights} />}
    </>
  );
}

function JointCures({ at, line }: { at: At; line: ProfileLine }) {
  const { delivering } = at;
  const { joints: most } = delivering.profile;
  const used = line.used ?? 0;
  if (used <= most)
    return (
      <Setting
        at={at}
        set={{ leavesEmptyJoints: true }}
        label="Leave joints without weight out"
        costs="Costs nothing: their nodes stay in the file."
      />
    );
  return (
    <>
      <CureRun
        at={at}
        what="Weighing joints"
        label="Fewer joints, the least useful first"
        run={() => delivering.findJoints()}
      />
      {most >= 12 && (
        <Setting
          at={at}
          set={{ maxJoints: most }}
          label="Split parts where they leave"
          costs="Costs nothing in shape; cuts double the vertices along them."
        />
      )}
    </>
  );
}

function RoundingCure({ at }: { at: At }) {
  const { delivering } = at;
  const format = delivering.profile.weights ?? 'f32';
  return (
    <>
      <Setting
        at={at}
        set={{ weights: format }}
        label={`Round weights to ${WEIGHT_FORMAT_WORDS[format]}`}
        costs="Every vertex’s weights sum to one exactly."
      />
      <RoundingCost at={at} format={format} />
    </>
  );
}

function NameCure({ at }: { at: At }) {
  const rename = (): void => {
    at.delivering
      .rename()
      .then((left) => {
        if (left > 0)
          at.document.notify(`No name was found for ${counted(left, 'joint')}; give them one under Bind.`);
      })
      .catch(at.document.notifyError);
  };
  return (
    <div className="limit-cure">
      <ActionButton name="Names that are taken" fullWidth variant="default" onClick={rename}>
        Give them names that are taken
      </ActionButton>
      <div className="card-line">The nearest spelling that fits; one step to undo.</div>
    </div>
  );
}

function RequiredCure({ at, line }: { at: At; line: ProfileLine }) {
  const [name] = line.missing ?? [];
  const joints = liveJoints(at.document.skeleton).map((joint) => ({
    value: String(joint),
    label: at.document.jointName(joint),
  }));
  return (
    <Select
      className="limit-cure"
      label={`“${name}” is`}
      placeholder="choose a joint"
      searchable
      data={joints}
      value={null}
      onChange={(joint) => {
        if (joint !== null) at.delivering.giveName(Number(joint), name).catch(at.document.notifyError);
      }}
    />
  );
}

function HeightCure({ at, line }: { at: At; line: ProfileLine }) {
  const { delivery, profile } = at.delivering;
  const [least, most] = profile.height ?? [0, 1];
  // A power of ten, where units were mistaken; else just as tall as is taken.
  const wanted = line.isMet ? 1 : scaleFor(at.delivering.height() * delivery.scale, least, most);
  return (
    <Setting
      at={at}
      set={{ scale: delivery.scale * wanted }}
      label={`Make it ${Number((delivery.scale * wanted).toPrecision(3))} times as large`}
      costs="Costs nothing: a node above all scales it."
    />
  );
}

function scaleFor(height: number, least: number, most: number): number {
  for (const power of [0.01, 100, 0.1, 10, 0.001, 1000])
    if (height * power >= least && height * power <= most) return power;
  return height > most ? most / height : least / height;
}

/** How far one goes towards a limit, and what it costs. */
function CureSlider({ at, cure }: { at: At; cure: Cure }) {
  const { delivering } = at;
  const { taken, measured, working } = delivering;
  const [wanted, setWanted] = useState(taken);
  useEffect(() => setWanted(taken), [taken]);
  const all = cure.steps.length;
  if (all === 0) return <div className="card-line">Locked joints keep every point as it is.</div>;
  const cost = wanted === 0 ? 0 : cure.steps[wanted - 1].cost;
  const left = all - wanted;
  const noun = cure.kind === 'influences' ? ['point', 'points'] : ['joint', 'joints'];
  return (
    <div className="limit-cure">
      <Slider
        min={0}
        max={all}
        value={wanted}
        label={null}
        thumbLabel="How far"
        onChange={(steps) => {
          setWanted(steps);
          delivering.take(steps).catch(at.document.notifyError);
        }}
      />
      <Group justify="space-between" mt={2}>
        <span className="card-line">nothing lost</span>
        <span className="card-line">meets the limit</span>
      </Group>
      <table className="cost-figures">
        <tbody>
          <tr>
            <td>Costs at most</td>
            <td data-figure="greatest">{costWords(cost, at.document.size)}</td>
          </tr>
          {cure.plainCost !== undefined && wanted === all && (
            <tr>
              <td>Dropping the smallest</td>
              <td data-figure="plain">{lengthWords(cure.plainCost)}</td>
            </tr>
          )}
          <tr>
            <td>Still over the limit</td>
            <td data-figure="left">{counted(left, noun[0], noun[1])}</td>
          </tr>
        </tbody>
      </table>
      {cure.joints && <DroppedJoints at={at} cure={cure} taken={wanted} />}
      {measured && <CostFigures at={at} measured={measured} isProposed />}
      {working?.what === 'Measuring' && !measured && (
        <div className="card-line">Measuring over all poses…</div>
      )}
      <div className="card-line">Keep or drop it at the foot of the stage.</div>
    </div>
  );
}

function DroppedJoints({ at, cure, taken }: { at: At; cure: Cure; taken: number }) {
  const joints = (cure.joints ?? []).slice(0, taken);
  if (joints.length === 0) return null;
  return (
    <ul
      className="card-line"
      style={{ margin: '0 0 6px', paddingLeft: 16, maxHeight: 150, overflow: 'auto' }}
    >
      {joints.map(({ joint, receiver }) => (
        <li key={joint}>
          {at.document.jointName(joint)}
          {receiver >= 0 && `, mostly to ${at.document.jointName(receiver)}`}
        </li>
      ))}
    </ul>
  );
}
