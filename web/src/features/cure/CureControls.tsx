import { Popover, Button, Slider } from '@mantine/core';
import type { BendLacks, CuredJoint } from '@judoka/core/operations/cure';
import { lackWords } from './lackWords.ts';
import { useState } from 'react';
import { shortFigure } from '../../ui/shortFigure.ts';
import { costWords } from '../../ui/lengthWords.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { CureDetails, LookErrors } from '../../document/alternative.ts';
import type { CureAt } from './CureSection.tsx';
import './cure.css';

/** Changes of less than this share are not worth telling. */
const SEEN = 0.02;

/** How much of a cure is on the stage, and what it does to the bends; in the bar of what is proposed. */
export function CureControls({ at }: { at: CureAt }) {
  useEvent(at.document.events, 'shown');
  const { current } = at.document.proposals;
  if (!current?.cure) return null;
  const { cure, index } = current;
  return (
    <div className="cure-controls">
      <AmountSlider key={index} at={at} cure={cure} />
      {cure.errors ? <BakedErrors at={at} errors={cure.errors} /> : <CuredBends at={at} cure={cure} />}
    </div>
  );
}

function AmountSlider({ at, cure }: { at: CureAt; cure: CureDetails }) {
  // What is on its way to the stage must not take the slider back.
  const [amount, setAmount] = useState(100 * cure.amount);
  return (
    <div className="cure-amount">
      <span className="card-line">Amount</span>
      <Slider
        thumbLabel="How much of the cure"
        min={5}
        max={100}
        step={5}
        value={amount}
        label={(percent) => `${percent}%`}
        onChange={setAmount}
        onChangeEnd={(percent) => void at.curing.take(percent / 100).catch(at.document.notifyError)}
      />
      <span className="figures">{amount}%</span>
    </div>
  );
}

/** How near plain weights come to a look, all of it taken. */
function BakedErrors({ at, errors }: { at: CureAt; errors: LookErrors }) {
  const { before, after, greatest, unlimited } = errors;
  const shown = before > 0 ? Math.round(100 * (1 - after / before)) : 100;
  const words = (length: number): string => costWords(length, at.document.size);
  return (
    <Popover position="top" withArrow width={320}>
      <Popover.Target>
        <Button variant="default" data-before={before} data-after={after} className="cure-sum">
          {shown}% of the look
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <p className="card-line">
          Off the look by {words(after)} in the mean, {words(greatest)} at most; before {words(before)}.
        </p>
        <p className="card-line">
          Without a limit on influences weights would be off by {words(unlimited)}: more than that plain
          weights cannot show.
        </p>
      </Popover.Dropdown>
    </Popover>
  );
}

/** What became of the joints that were asked for, in one line; of each, on demand. */
function CuredBends({ at, cure }: { at: CureAt; cure: CureDetails }) {
  const asked = cure.joints.slice(0, Math.min(cure.asked, cure.joints.length));
  const sum = (of: 'before' | 'after'): number => asked.reduce((total, each) => total + each[of], 0);
  const shown = cure.joints
    .filter(({ before, after }) => Math.abs(after - before) > SEEN * before)
    .sort((a, b) => b.before - a.before);
  const [opened, setOpened] = useState(false);
  return (
    <Popover position="top" withArrow width={340} opened={opened} onChange={setOpened}>
      <Popover.Target>
        <Button
          variant="default"
          data-before={sum('before')}
          data-after={sum('after')}
          className="cure-sum"
          aria-expanded={opened}
          onClick={() => setOpened(!opened)}
        >
          Damage {shortFigure(sum('before'))} → {shortFigure(sum('after'))},{' '}
          {shareWords(sum('before'), sum('after'))}
        </Button>
      </Popover.Target>
      <Popover.Dropdown className="cured-bends">
        <Lacks at={at} lacks={cure.lacks ?? []} shows={() => setOpened(false)} />
        <table className="report" aria-label="Bends before and after">
          <tbody>
            {shown.map((each) => (
              <CuredRow key={each.joint} at={at} cured={each} />
            ))}
          </tbody>
        </table>
      </Popover.Dropdown>
    </Popover>
  );
}

/** What weights alone do not cure, and what would. */
function Lacks({
  at,
  lacks,
  shows,
}: {
  at: CureAt;
  lacks: readonly BendLacks[];
  /** A place is looked at: nothing may lie over it. */
  shows: () => void;
}) {
  return lacks.flatMap((lack) =>
    lackWords(at, lack).map(({ words, show }) => (
      <div key={words} className="trouble">
        <span>
          {words}{' '}
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => {
              shows();
              show();
            }}
          >
            Show me
          </Button>
        </span>
      </div>
    )),
  );
}

function CuredRow({ at, cured: { joint, before, after } }: { at: CureAt; cured: CuredJoint }) {
  return (
    <tr>
      <th scope="row">{at.document.jointName(joint)}</th>
      <td className="figures">
        {shortFigure(before)} → {shortFigure(after)}
      </td>
      <td className="figures">{shareWords(before, after)}</td>
    </tr>
  );
}

function shareWords(before: number, after: number): string {
  if (before === 0) return 'as before';
  const percent = Math.round(100 * (after / before - 1));
  return percent === 0 ? 'as before' : `${percent > 0 ? '+' : '−'}${Math.abs(percent)}%`;
}
