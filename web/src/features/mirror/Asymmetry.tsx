import { counted } from '@judoka/core/document';
import { influencesOf } from '@judoka/core/weights';
import { Button, Switch } from '@mantine/core';
import { useRef } from 'react';
import { useEvent, useVersioned } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { settingsChanged, type WeightView } from '../../settings/uiSettings.ts';
import type { Difference, Mirroring } from './Mirroring.ts';

type At = Editing & { readonly mirroring: Mirroring };

const GROUPS_SHOWN = 8;

/** Differing points that follow one joint most. */
interface JointDifferences {
  readonly joint: number;
  readonly worst: number;
  readonly places: readonly Difference[];
}

/** Where the two sides differ: shaded on the surface if wanted, and by joint, worst first. */
export function Asymmetry({ at }: { at: At }) {
  const weights = useEvent(at.document.events, 'weights');
  const parts = useEvent(at.scene.events, 'parts');
  const { mirroring } = at;
  const { pairs } = mirroring;
  const differing = useVersioned(
    () => (pairs ? mirroring.differences() : []),
    [mirroring, pairs, weights, parts],
  );
  return (
    <section className="group" aria-label="Asymmetry">
      <h2>Where the sides differ</h2>
      {differing.length === 0 ? (
        <p className="card-line">Weights of both sides differ by no more than 0.01 anywhere.</p>
      ) : (
        <Differing at={at} differing={differing} />
      )}
      <ShadeSwitch />
    </section>
  );
}

/** Shows amounts in place of weights; what was looked at before comes back. */
function ShadeSwitch() {
  const dispatch = useAppDispatch();
  const { view } = useUiSettings('view');
  const before = useRef<WeightView>('tide');
  if (view !== 'sides') before.current = view;
  return (
    <Switch
      mt={6}
      label="Shade it on the surface"
      checked={view === 'sides'}
      onChange={(event) =>
        dispatch(settingsChanged({ view: event.currentTarget.checked ? 'sides' : before.current }))
      }
    />
  );
}

function Differing({ at, differing }: { at: At; differing: readonly Difference[] }) {
  const points = pointsOf(differing);
  return (
    <>
      <p className="card-line" data-differing={differing.length}>
        {counted(differing.length, 'point')}, worst by {differing[0].amount.toFixed(2)} of weight.{' '}
        <Button size="compact-xs" variant="default" onClick={() => at.scene.setMarks({ points, joints: [] })}>
          Show me
        </Button>{' '}
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => at.scene.selection.choosePoints(points, 'replace')}
        >
          Select them
        </Button>
      </p>
      {byJoint(at, differing)
        .slice(0, GROUPS_SHOWN)
        .map(({ joint, worst, places }) => (
          <button
            key={joint}
            type="button"
            className="word"
            style={{ display: 'flex', width: '100%', justifyContent: 'space-between', border: 0 }}
            data-joint={at.document.jointName(joint)}
            onClick={() => {
              at.scene.chooseJoint(joint);
              at.scene.setMarks({ points: pointsOf(places), joints: [] });
            }}
          >
            <span>
              {at.document.jointName(joint)}, {counted(places.length, 'point')}
            </span>
            <span className="figures">by {worst.toFixed(2)}</span>
          </button>
        ))}
    </>
  );
}

/** @param differing worst first; so are the groups, and what is in them */
function byJoint({ scene: { parts } }: At, differing: readonly Difference[]): JointDifferences[] {
  const groups = new Map<number, Difference[]>();
  for (const place of differing) {
    // Influences come heaviest first.
    const joint = influencesOf(parts[place.part].skin.rows, place.point).at(0)?.joint;
    if (joint === undefined) continue;
    const held = groups.get(joint);
    if (held) held.push(place);
    else groups.set(joint, [place]);
  }
  return [...groups].map(([joint, places]) => ({ joint, worst: places[0].amount, places }));
}

/** Points by part, rising. */
function pointsOf(places: readonly Difference[]): Map<number, Uint32Array> {
  const lists = new Map<number, number[]>();
  for (const { part, point } of places) {
    const list = lists.get(part);
    if (list) list.push(point);
    else lists.set(part, [point]);
  }
  return new Map([...lists].map(([part, list]) => [part, Uint32Array.from(list).sort()]));
}
