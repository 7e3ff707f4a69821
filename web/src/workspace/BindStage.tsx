import type { Workspace } from './Workspace.ts';
import { useEffect, useRef } from 'react';
import { bindToolLeft, settingsChanged, type BindPage } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { OutlinesPanel } from '../features/outlines/OutlinesPanel.tsx';
import { BindPanel } from '../features/bind/BindPanel.tsx';
import { SettleSection } from '../features/cure/SettleSection.tsx';
import { CagePanel } from '../features/follow/CagePanel.tsx';
import { FollowPanel } from '../features/follow/FollowPanel.tsx';
import { JointsPanel } from '../features/joints/JointsPanel.tsx';
import { PiecesPanel } from '../features/bind/PiecesPanel.tsx';
import { RibbonPanel } from '../features/ribbon/RibbonPanel.tsx';
import { SelectPanel } from '../features/select/SelectPanel.tsx';
import { Segments } from '../ui/Segments.tsx';
import { PosePanel } from '../features/pose/PosePanel.tsx';
import { PoseShelf } from '../features/pose/PoseShelf.tsx';
import { TakeTable } from '../features/tables/TableFiles.tsx';
import { TransferPanel } from '../features/transfer/TransferPanel.tsx';
import { ReachPanel } from '../features/reach/ReachPanel.tsx';

const PAGES: Readonly<Record<BindPage, string>> = {
  joints: 'Joints',
  outlines: 'Outlines',
  binding: 'Binding',
  pieces: 'By hand',
  reach: 'Reach',
  transfer: 'Another',
};

/** Bind: the skeleton, a first binding, and what is given to one joint whole, a page each. */
export function BindStep({ at }: { at: Workspace }) {
  const dispatch = useAppDispatch();
  const { drawing } = at.document.character;
  const held = useUiSettings('bindPage').bindPage;
  const bindPage = held === 'outlines' && !drawing ? 'joints' : held;
  const { outlines: _, ...others } = PAGES;
  const pages = (drawing ? PAGES : others) as typeof PAGES;
  const pageBefore = useRef(bindPage);
  useEffect(() => {
    if (pageBefore.current !== bindPage) dispatch(bindToolLeft());
    pageBefore.current = bindPage;
  }, [dispatch, bindPage]);
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Bind"
          choices={pages}
          value={bindPage}
          set={(bindPage) => dispatch(settingsChanged({ bindPage }))}
        />
      </div>
      {bindPage === 'joints' && <JointsPanel at={at} />}
      {bindPage === 'outlines' && <OutlinesPanel at={at} />}
      {bindPage === 'binding' && (
        <BindPanel
          at={at}
          runs={at.bindRuns}
          settle={<SettleSection at={at} then={() => void at.bindRuns.measureRest()} />}
        />
      )}
      {bindPage === 'pieces' && <PiecesPanel at={at} selecting={<SelectPanel at={at} />} />}
      {bindPage === 'pieces' && <RibbonPanel at={at} />}
      {bindPage === 'reach' && <ReachPanel at={at} />}
      {bindPage === 'transfer' && <TransferPanel at={at} />}
      {bindPage === 'transfer' && <TakeTable at={at} />}
      {bindPage === 'transfer' && <FollowPanel at={at} />}
      {bindPage === 'transfer' && <CagePanel at={at} />}
      <PosePanel at={at} />
      <PoseShelf at={at} />
    </>
  );
}
