import { SegmentedControl } from '@mantine/core';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { settingsChanged, type PaintPage } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { BrushPanel } from './BrushPanel.tsx';
import { ExactPanel } from './ExactPanel.tsx';
import { MirrorPanel } from './MirrorPanel.tsx';
import { PosePanel } from './PosePanel.tsx';
import { PoseShelf } from './PoseShelf.tsx';
import { SelectPanel } from './SelectPanel.tsx';
import { WalksPanel } from './WalksPanel.tsx';

const PAGES: readonly { readonly value: PaintPage; readonly label: string }[] = [
  { value: 'brush', label: 'Brush' },
  { value: 'select', label: 'Select' },
  { value: 'exact', label: 'Exact' },
  { value: 'mirror', label: 'Mirror' },
];

/** Paint: the brush, what is selected, exact values and the other side, a page each. */
export function PaintStep({ session }: { session: CharacterSession }) {
  const dispatch = useAppDispatch();
  const { paintPage } = useBench();
  return (
    <>
      <div className="group">
        <SegmentedControl
          fullWidth
          aria-label="Page of Paint"
          data={[...PAGES]}
          value={paintPage}
          onChange={(value) => dispatch(settingsChanged({ paintPage: value as PaintPage }))}
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
