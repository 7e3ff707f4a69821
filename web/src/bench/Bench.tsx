import { useState } from 'react';
import { Group, Panel, Separator, useDefaultLayout } from 'react-resizable-panels';
import { notifications } from '@mantine/notifications';
import { useEffect } from 'react';
import { NO_MARKS, type CharacterSession } from '../session/CharacterSession.ts';
import { toolChosen } from '../state/benchSlice.ts';
import { useAppDispatch } from '../state/store.ts';
import { BindStep } from './BindStep.tsx';
import { CheckInPanel } from './CheckInPanel.tsx';
import { Commands } from './Commands.tsx';
import { DeliverPanel } from './DeliverPanel.tsx';
import { PartsStrip } from './PartsStrip.tsx';
import { PaintStep } from './PaintStep.tsx';
import { Roster } from './Roster.tsx';
import { ShortcutList } from './ShortcutList.tsx';
import { Stage } from './Stage.tsx';
import type { Step } from './steps.ts';
import { TopBar } from './TopBar.tsx';
import { MotionDrop, TrialStep } from './TrialStep.tsx';
import { useShortcuts } from './useShortcuts.ts';
import { canWarmUp } from '../session/warmUp.ts';
import { offersWarmUp, WarmUp } from './WarmUp.tsx';
import { ViewPanel } from './ViewPanel.tsx';

/** The bench: roster, stage with the bend strip, and the tool in hand. */
export function Bench({ session, step }: { session: CharacterSession; step: Step }) {
  const [listShown, setListShown] = useState(false);
  const [practising, setPractising] = useState(() => offersWarmUp(session));
  const layout = useDefaultLayout({ id: 'judoka.bench', storage: localStorage });
  useShortcuts(session, () => setListShown(true));
  useNotices(session);
  useStageManners(session, step);
  useEffect(() => {
    document.title = `${session.name}, Judoka`;
  }, [session]);
  return (
    <div className="bench">
      <TopBar session={session} step={step} />
      <Group orientation="horizontal" {...layout}>
        <Panel id="roster" defaultSize="230px" minSize="150px" maxSize="35%" collapsible>
          <div className="side">
            <PartsStrip session={session} />
            <Roster session={session} step={step} />
          </div>
        </Panel>
        <Separator className="handle-x" />
        <Panel id="stage" minSize="30%">
          <div style={{ position: 'relative', height: '100%' }}>
            <MotionDrop session={session} step={step}>
              <Stage session={session} step={step} />
            </MotionDrop>
            {practising && step === 'paint' && (
              <WarmUp session={session} close={() => setPractising(false)} />
            )}
          </div>
        </Panel>
        <Separator className="handle-x" />
        <Panel id="tools" defaultSize="262px" minSize="200px" maxSize="40%" collapsible>
          <div className="side">
            <div className="side-scroll">
              {step === 'check-in' && <CheckInPanel session={session} />}
              {step === 'bind' && <BindStep session={session} />}
              {step === 'paint' && <PaintStep session={session} />}
              {step === 'trial' && <TrialStep session={session} />}
              {step === 'deliver' && <DeliverPanel session={session} />}
              <ViewPanel />
            </div>
          </div>
        </Panel>
      </Group>
      <Commands session={session} showList={() => setListShown(true)} />
      <ShortcutList
        shown={listShown}
        close={() => setListShown(false)}
        practise={
          canWarmUp(session)
            ? () => {
                setListShown(false);
                setPractising(true);
              }
            : undefined
        }
      />
    </div>
  );
}

/** Marks belong to the stage on which they were asked for, and so do the tying tool and a clip that plays. */
function useStageManners(session: CharacterSession, step: Step): void {
  const dispatch = useAppDispatch();
  useEffect(() => {
    session.setMarks(NO_MARKS);
    if (step !== 'bind') void session.proposals.drop();
    if (step !== 'paint') dispatch(toolChosen('pose'));
    if (step !== 'trial') session.clips.pause();
  }, [session, step, dispatch]);
}

/** Sentences of the session appear at the foot of the page, one at a time. */
function useNotices(session: CharacterSession): void {
  useEffect(() => {
    const show = (): void => {
      if (!session.notice) return;
      notifications.hide('notice');
      notifications.show({ id: 'notice', message: session.notice, color: 'persimmon', autoClose: 7000 });
    };
    show();
    return session.topics.subscribe('notice', show);
  }, [session]);
}
