import type { Workspace } from './Workspace.ts';
import { Group, Panel, Separator, useDefaultLayout } from 'react-resizable-panels';
import { useMantineColorScheme } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useNavigate } from 'react-router';
import { useEffect, useRef, useState } from 'react';
import { NO_MARKS } from '../scene/Scene.ts';
import { bindToolLeft, toolChosen, trialLeft } from '../settings/uiSettings.ts';
import { useAppDispatch } from '../settings/store.ts';
import type { ActionContext } from './actions.ts';
import { BindStep } from './BindStage.tsx';
import { CheckInStep } from './CheckInStage.tsx';
import { BindProgress } from '../features/bind/BindProgress.tsx';
import { Commands } from './Commands.tsx';
import { DeliverStep } from './DeliverStage.tsx';
import { CommentsPanel } from '../features/comments/CommentsPanel.tsx';
import { HistoryPanel } from '../features/history/HistoryPanel.tsx';
import { MomentControls } from '../features/history/MomentControls.tsx';
import { Elsewhere } from '../features/saving/Elsewhere.tsx';
import { LeftOut } from '../features/saving/LeftOut.tsx';
import { PartsStrip } from '../features/parts/PartsStrip.tsx';
import { PaintStep } from './PaintStage.tsx';
import { Roster } from './roster/Roster.tsx';
import { ShortcutList } from './ShortcutList.tsx';
import { Stage } from './stage/Stage.tsx';
import { StageAndTable } from './StageAndTable.tsx';
import type { Step } from './stages.ts';
import { CureControls } from '../features/cure/CureControls.tsx';
import { ProposalBar } from '../features/proposals/ProposalBar.tsx';
import { TopBar } from './TopBar.tsx';
import { MotionDrop, TrialStep } from './TrialStage.tsx';
import { useCostAmounts } from '../features/deliver/useCostAmounts.ts';
import { useDifferenceAmounts } from '../features/compare/useDifferenceAmounts.ts';
import { useSideAmounts } from '../features/mirror/useSideAmounts.ts';
import { useShortcuts } from './useShortcuts.ts';
import { canWarmUp } from './warmUp.ts';
import { offersWarmUp, WarmUp } from './WarmUp.tsx';
import { ViewPanel } from './ViewPanel.tsx';
import '@mantine/core/styles.layer.css';
import './workspace.css';

/** The workspace: roster, stage with the bend strip, and the tool in hand. */
export function WorkspaceView({ at, step }: { at: Workspace; step: Step }) {
  const [listShown, setListShown] = useState(false);
  const [practising, setPractising] = useState(() => offersWarmUp(at));
  const layout = useDefaultLayout({ id: 'judoka.layout', storage: localStorage });
  const navigate = useNavigate();
  const { toggleColorScheme: toggleNight } = useMantineColorScheme();
  const context: ActionContext = {
    ...{ at, step, toggleNight },
    go: (to) => void navigate(`/characters/${at.document.id}/${to}`),
    showList: () => setListShown(true),
  };
  useShortcuts(context);
  useNotices(at);
  useSideAmounts(at);
  useDifferenceAmounts(at);
  useCostAmounts(at);
  useStageManners(at, step);
  useEffect(() => {
    document.title = `${at.document.name}, Judoka`;
  }, [at]);
  return (
    <div className="workspace">
      <TopBar at={at} step={step} />
      <Group orientation="horizontal" {...layout}>
        <Panel id="roster" defaultSize="244px" minSize="150px" maxSize="35%" collapsible>
          <div className="side">
            <PartsStrip at={at} />
            <Roster at={at} step={step} />
          </div>
        </Panel>
        <Separator className="handle-x" />
        <Panel id="stage" minSize="30%">
          <div className="stage-column">
            <div className="stage-row">
              <StageAndTable at={at} step={step}>
                <MotionDrop at={at} step={step}>
                  <Stage at={at} step={step} />
                </MotionDrop>
                <LeftOut at={at} />
                <Elsewhere document={at.document} />
                <CommentsPanel at={at} />
                {practising && step === 'paint' && <WarmUp at={at} close={() => setPractising(false)} />}
              </StageAndTable>
              <HistoryPanel at={at} />
            </div>
            <ProposalBar at={at}>
              <MomentControls at={at} />
              <CureControls at={at} />
            </ProposalBar>
            <BindProgress runs={at.bindRuns} />
          </div>
        </Panel>
        <Separator className="handle-x" />
        <Panel id="tools" defaultSize="262px" minSize="200px" maxSize="40%" collapsible>
          <div className="side">
            <div className="side-scroll">
              {step === 'check-in' && <CheckInStep at={at} />}
              {step === 'bind' && <BindStep at={at} />}
              {step === 'paint' && <PaintStep at={at} />}
              {step === 'trial' && <TrialStep at={at} />}
              {step === 'deliver' && <DeliverStep at={at} />}
              <ViewPanel at={at} />
            </div>
          </div>
        </Panel>
      </Group>
      <Commands context={context} />
      <ShortcutList
        shown={listShown}
        close={() => setListShown(false)}
        practise={
          canWarmUp(at)
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
function useStageManners(at: Workspace, step: Step): void {
  const dispatch = useAppDispatch();
  const isEntered = useRef(at.goesOn);
  useEffect(() => {
    const goesOn = isEntered.current;
    isEntered.current = false;
    // A character that was opened anew under the hand: the tool stays in it.
    if (goesOn) return;
    at.scene.setMarks(NO_MARKS);
    if (step === 'paint') dispatch(bindToolLeft());
    else dispatch(toolChosen('pose'));
    if (step !== 'trial') {
      at.clips.pause();
      dispatch(trialLeft());
    }
  }, [at, step, dispatch]);
}

/** Sentences of the document appear at the foot of the page, one at a time. */
function useNotices(at: Workspace): void {
  useEffect(() => {
    const show = (): void => {
      const { notice } = at.document;
      if (!notice) return;
      notifications.hide('notice');
      // What is told while nobody looks at this tab stays until somebody does.
      const autoClose = document.hidden ? false : 7000;
      const color = notice.kind === 'trouble' ? 'persimmon' : 'indigo';
      notifications.show({ id: 'notice', message: notice.sentence, color, autoClose });
    };
    show();
    return at.document.events.subscribe('notice', show);
  }, [at]);
}
