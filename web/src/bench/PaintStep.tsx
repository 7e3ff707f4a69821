import type { CharacterSession } from '../session/CharacterSession.ts';
import { settingsChanged, type PaintPage } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { BrushPanel } from './BrushPanel.tsx';
import { ExactPanel } from './ExactPanel.tsx';
import { MirrorPanel } from './MirrorPanel.tsx';
import { Segments } from './Segments.tsx';
import { PosePanel } from './PosePanel.tsx';
import { PoseShelf } from './PoseShelf.tsx';
import { SelectPanel } from './SelectPanel.tsx';
import { WalksPanel } from './WalksPanel.tsx';

const PAGES: Readonly<Record<PaintPage, string>> = {
  brush: 'Brush',
  select: 'Select',
  exact: 'Exact',
  mirror: 'Mirror',
};

/** Paint: the brush, what is selected, exact values and the other side, a page each. */
export function PaintStep({ session }: { session: CharacterSession }) {
  const dispatch = useAppDispatch();
  const { paintPage } = useBench();
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Paint"
          choices={PAGES}
          value={paintPage}
          set={(paintPage) => dispatch(settingsChanged({ paintPage }))}
        />
      </div>
      {paintPage === 'brush' && <BrushPanel session={session} />}
      {paintPage === 'select' && (
        <>
          <SelectPanel session={session} />
          <WalksPanel session={session} />
        </>
      )}
      {paintPage === 'exact' && <ExactPanel session={session} />}
      {paintPage === 'mirror' && <MirrorPanel session={session} />}
      <PosePanel session={session} />
      <PoseShelf session={session} />
    </>
  );
}
