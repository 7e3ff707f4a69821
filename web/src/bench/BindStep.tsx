import { useEffect } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { settingsChanged, toolChosen, type BindPage } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { BindPanel } from './BindPanel.tsx';
import { JointsPanel } from './JointsPanel.tsx';
import { PiecesPanel } from './PiecesPanel.tsx';
import { Segments } from './Segments.tsx';
import { PosePanel } from './PosePanel.tsx';
import { PoseShelf } from './PoseShelf.tsx';
import { ReachPanel } from './ReachPanel.tsx';

const PAGES: Readonly<Record<BindPage, string>> = {
  joints: 'Joints',
  binding: 'Binding',
  pieces: 'By hand',
  reach: 'Reach',
};

/** Bind: the skeleton, a first binding, and what is given to one joint whole, a page each. */
export function BindStep({ session }: { session: CharacterSession }) {
  const dispatch = useAppDispatch();
  const { bindPage } = useBench();
  useEffect(() => {
    // A page's own tool is not left in the hand on another page.
    dispatch(toolChosen('pose'));
    return () => void dispatch(toolChosen('pose'));
  }, [dispatch, bindPage]);
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Bind"
          choices={PAGES}
          value={bindPage}
          set={(bindPage) => dispatch(settingsChanged({ bindPage }))}
        />
      </div>
      {bindPage === 'joints' && <JointsPanel session={session} />}
      {bindPage === 'binding' && <BindPanel session={session} />}
      {bindPage === 'pieces' && <PiecesPanel session={session} />}
      {bindPage === 'reach' && <ReachPanel session={session} />}
      <PosePanel session={session} />
      <PoseShelf session={session} />
    </>
  );
}
