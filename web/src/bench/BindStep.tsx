import { SegmentedControl } from '@mantine/core';
import { useEffect } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { settingsChanged, toolChosen, type BindPage } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { BindPanel } from './BindPanel.tsx';
import { JointsPanel } from './JointsPanel.tsx';
import { PiecesPanel } from './PiecesPanel.tsx';
import { PosePanel } from './PosePanel.tsx';
import { PoseShelf } from './PoseShelf.tsx';
import { ReachPanel } from './ReachPanel.tsx';

const PAGES: readonly { readonly value: BindPage; readonly label: string }[] = [
  { value: 'joints', label: 'Joints' },
  { value: 'binding', label: 'Binding' },
  { value: 'pieces', label: 'By hand' },
  { value: 'reach', label: 'Reach' },
];

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
        <SegmentedControl
          fullWidth
          aria-label="Page of Bind"
          data={[...PAGES]}
          value={bindPage}
          onChange={(value) => dispatch(settingsChanged({ bindPage: value as BindPage }))}
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
