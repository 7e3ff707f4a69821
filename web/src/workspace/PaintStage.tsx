import type { Workspace } from './Workspace.ts';
import { settingsChanged, type PaintPage } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { BrushPanel } from '../features/paint/BrushPanel.tsx';
import { MaskPanel } from '../features/paint/MaskPanel.tsx';
import { ExactPanel } from '../features/exact/ExactPanel.tsx';
import { MirrorPanel } from '../features/mirror/MirrorPanel.tsx';
import { Segments } from '../ui/Segments.tsx';
import { PosePanel } from '../features/pose/PosePanel.tsx';
import { PoseShelf } from '../features/pose/PoseShelf.tsx';
import { JointTroubles } from './JointTroubles.tsx';
import { ShapePanel } from '../features/shape/ShapePanel.tsx';
import { ShapesPanel } from '../features/shapes/ShapesPanel.tsx';
import { SelectPanel } from '../features/select/SelectPanel.tsx';
import { WalksPanel } from '../features/select/WalksPanel.tsx';

const PAGES: Readonly<Record<PaintPage, string>> = {
  brush: 'Brush',
  select: 'Select',
  exact: 'Exact',
  mirror: 'Mirror',
  masks: 'Masks',
};

/** Paint: the brush, what is selected, exact values and the other side, a page each. */
export function PaintStep({ at }: { at: Workspace }) {
  const dispatch = useAppDispatch();
  const held = useUiSettings('paintPage').paintPage;
  // Nothing reads masks of a drawing.
  const isFlat = at.document.character.drawing !== undefined;
  const paintPage = isFlat && held === 'masks' ? 'brush' : held;
  const { masks: _, ...others } = PAGES;
  const hasShapes = at.document.character.morphs.length > 0;
  const pages = (isFlat ? others : { ...PAGES, ...(hasShapes && { masks: 'Shapes' }) }) as typeof PAGES;
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Paint"
          choices={pages}
          value={paintPage}
          set={(paintPage) => dispatch(settingsChanged({ paintPage }))}
        />
      </div>
      {paintPage === 'brush' && (
        <>
          <BrushPanel at={at} />
          <ShapePanel at={at} />
        </>
      )}
      {paintPage === 'select' && (
        <>
          <SelectPanel at={at} />
          <WalksPanel at={at} />
        </>
      )}
      {paintPage === 'exact' && <ExactPanel at={at} />}
      {paintPage === 'mirror' && <MirrorPanel at={at} />}
      {paintPage === 'masks' && (
        <>
          <ShapesPanel at={at} />
          <MaskPanel at={at} />
          <BrushPanel at={at} />
        </>
      )}
      <JointTroubles at={at} />
      <PosePanel at={at} />
      <PoseShelf at={at} />
    </>
  );
}
