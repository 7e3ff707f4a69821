import { useEffect, useRef } from 'react';
import { CheckInPanel } from '../features/checkIn/CheckInPanel.tsx';
import { MeshPanel } from '../features/mesh/MeshPanel.tsx';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { bindToolLeft, type CheckInPage, settingsChanged } from '../settings/uiSettings.ts';
import { Segments } from '../ui/Segments.tsx';
import type { Workspace } from './Workspace.ts';

const PAGES: Readonly<Record<CheckInPage, string>> = { findings: 'Findings', mesh: 'Mesh' };

/** Check-in: what was found, and the mesh itself. Drawings have outlines instead, under Bind. */
export function CheckInStep({ at }: { at: Workspace }) {
  const dispatch = useAppDispatch();
  const { checkInPage } = useUiSettings('checkInPage');
  const pageBefore = useRef(checkInPage);
  useEffect(() => {
    if (pageBefore.current !== checkInPage) dispatch(bindToolLeft());
    pageBefore.current = checkInPage;
  }, [dispatch, checkInPage]);
  if (at.document.character.drawing) return <CheckInPanel at={at} />;
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Check-in"
          choices={PAGES}
          value={checkInPage}
          set={(page) => dispatch(settingsChanged({ checkInPage: page }))}
        />
      </div>
      {checkInPage === 'mesh' ? <MeshPanel at={at} /> : <CheckInPanel at={at} />}
    </>
  );
}
