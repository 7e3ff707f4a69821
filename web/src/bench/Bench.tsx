import { useState } from 'react';
import { Group, Panel, Separator, useDefaultLayout } from 'react-resizable-panels';
import { notifications } from '@mantine/notifications';
import { useEffect } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { BrushPanel } from './BrushPanel.tsx';
import { Commands } from './Commands.tsx';
import { DeliverPanel } from './DeliverPanel.tsx';
import { PartsStrip } from './PartsStrip.tsx';
import { PosePanel } from './PosePanel.tsx';
import { Roster } from './Roster.tsx';
import { ShortcutList } from './ShortcutList.tsx';
import { Stage } from './Stage.tsx';
import { STEP_PROMISES, type Step } from './steps.ts';
import { TopBar } from './TopBar.tsx';
import { useShortcuts } from './useShortcuts.ts';
import { ViewPanel } from './ViewPanel.tsx';

/** The bench: roster, stage with the bend strip, and the tool in hand. */
export function Bench({ session, step }: { session: CharacterSession; step: Step }) {
  const [listShown, setListShown] = useState(false);
  const layout = useDefaultLayout({ id: 'judoka.bench', storage: localStorage });
  useShortcuts(session, () => setListShown(true));
  useNotices(session);
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
            <Roster session={session} />
          </div>
        </Panel>
        <Separator className="handle-x" />
        <Panel id="stage" minSize="30%">
          <Stage session={session} />
        </Panel>
        <Separator className="handle-x" />
        <Panel id="tools" defaultSize="262px" minSize="200px" maxSize="40%" collapsible>
          <div className="side">
            <div className="side-scroll">
              {STEP_PROMISES[step] && <p className="group card-line">{STEP_PROMISES[step]}</p>}
              {step === 'check-in' && <Notes session={session} />}
              {step === 'paint' && (
                <>
                  <BrushPanel session={session} />
                  <PosePanel session={session} />
                </>
              )}
              {step === 'deliver' && <DeliverPanel session={session} />}
              <ViewPanel />
            </div>
          </div>
        </Panel>
      </Group>
      <Commands session={session} showList={() => setListShown(true)} />
      <ShortcutList shown={listShown} close={() => setListShown(false)} />
    </div>
  );
}

/** What import had to say about the file. */
function Notes({ session }: { session: CharacterSession }) {
  const notes = session.arrival;
  if (notes.length === 0) return null;
  return (
    <section className="group">
      <h2>On arrival</h2>
      {notes.map((note) => (
        <div className="trouble" key={note}>
          {note}
        </div>
      ))}
    </section>
  );
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
