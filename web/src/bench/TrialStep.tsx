import { useDropzone } from 'react-dropzone';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { settingsChanged, type TrialPage } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { ClipsPanel, takeMotion } from './ClipsPanel.tsx';
import { ComparePanel } from './ComparePanel.tsx';
import { PosePanel } from './PosePanel.tsx';
import { PoseShelf } from './PoseShelf.tsx';
import { RangePanel } from './RangePanel.tsx';
import { Segments } from './Segments.tsx';
import { StrayPanel } from './StrayPanel.tsx';
import type { Step } from './steps.ts';

const PAGES: Readonly<Record<TrialPage, string>> = {
  range: 'Range',
  clips: 'Clips',
  strays: 'Strays',
  poses: 'Poses',
  compare: 'Beside',
};

/** Trial: bends measured over ranges and clips, strays, kept poses, and looking at two things side by side. */
export function TrialStep({ session }: { session: CharacterSession }) {
  const dispatch = useAppDispatch();
  const { trialPage } = useBench();
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
      {trialPage === 'range' && <RangePanel session={session} />}
      {trialPage === 'clips' && <ClipsPanel session={session} />}
      {trialPage === 'strays' && <StrayPanel session={session} />}
      {trialPage === 'poses' && (
        <>
          <PosePanel session={session} />
          <PoseShelf session={session} />
        </>
      )}
      {trialPage === 'compare' && <ComparePanel session={session} />}
    </>
  );
}

/** In Trial a motion may be dropped anywhere on the stage. */
export function MotionDrop({
  session,
  step,
  children,
}: {
  session: CharacterSession;
  step: Step;
  children: React.ReactNode;
}) {
  const dispatch = useAppDispatch();
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    multiple: false,
    disabled: step !== 'trial',
    onDrop: ([file], refused) => {
      if (refused.length > 1) session.tellPerson('Drop one motion at a time.');
      if (!file) return;
      dispatch(settingsChanged({ trialPage: 'clips' }));
      takeMotion(session, file);
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
