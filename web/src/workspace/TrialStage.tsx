import type { Workspace } from './Workspace.ts';
import { useDropzone } from 'react-dropzone';
import { settingsChanged, type TrialPage } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { ClipsPanel, takeMotion } from '../features/clips/ClipsPanel.tsx';
import { BakeSection } from '../features/cure/BakeSection.tsx';
import { CureHere } from '../features/cure/CureHere.tsx';
import { CureSection } from '../features/cure/CureSection.tsx';
import { ComparePanel } from '../features/compare/ComparePanel.tsx';
import { LookSection } from '../features/look/LookSection.tsx';
import { PosePanel } from '../features/pose/PosePanel.tsx';
import { PoseShelf } from '../features/pose/PoseShelf.tsx';
import { RangePanel } from '../features/range/RangePanel.tsx';
import { Segments } from '../ui/Segments.tsx';
import { StrayPanel } from '../features/strays/StrayPanel.tsx';
import { RowTroubles } from './RowTroubles.tsx';
import type { Step } from './stages.ts';

const PAGES: Readonly<Record<TrialPage, string>> = {
  range: 'Range',
  clips: 'Clips',
  strays: 'Strays',
  poses: 'Poses',
  compare: 'Beside',
};

/** Trial: bends measured over ranges and clips, strays, kept poses, and looking at two things side by side. */
export function TrialStep({ at }: { at: Workspace }) {
  const dispatch = useAppDispatch();
  const { trialPage } = useUiSettings('trialPage');
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Trial"
          choices={PAGES}
          value={trialPage}
          set={(trialPage) => dispatch(settingsChanged({ trialPage }))}
        />
      </div>
      {trialPage === 'range' && (
        <>
          <LookSection at={at} />
          <RangePanel at={at} troubles={(joint) => <BelowRow at={at} joint={joint} />}>
            <CureSection at={at} />
          </RangePanel>
          <BakeSection at={at} />
        </>
      )}
      {trialPage === 'clips' && (
        <>
          <ClipsPanel at={at} />
          <LookSection at={at} />
        </>
      )}
      {trialPage === 'strays' && <StrayPanel at={at} offerOf={(joint) => at.troubles.offerOf(joint)} />}
      {trialPage === 'poses' && (
        <>
          <PosePanel at={at} />
          <PoseShelf at={at} />
        </>
      )}
      {trialPage === 'compare' && <ComparePanel at={at} />}
    </>
  );
}

/** What can be done about a joint's bends, below its row. */
function BelowRow({ at, joint }: { at: Workspace; joint: number }) {
  return (
    <>
      <RowTroubles at={at} joint={joint} />
      {at.scene.joint === joint && <CureHere at={at} asLine />}
    </>
  );
}

/** In Trial a motion may be dropped anywhere on the stage. */
export function MotionDrop({ at, step, children }: { at: Workspace; step: Step; children: React.ReactNode }) {
  const dispatch = useAppDispatch();
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    multiple: false,
    disabled: step !== 'trial',
    onDrop: (files, refused) => {
      const file = files.at(0);
      if (refused.length > 1) at.document.notify('Drop one motion at a time.');
      if (!file) return;
      dispatch(settingsChanged({ trialPage: 'clips' }));
      takeMotion(at, file);
    },
  });
  return (
    <div {...getRootProps()} style={{ height: '100%' }}>
      <input {...getInputProps()} aria-label="Motion file" />
      {children}
      {isDragActive && <div className="stage-drop">Let go to put this motion on the character</div>}
    </div>
  );
}
