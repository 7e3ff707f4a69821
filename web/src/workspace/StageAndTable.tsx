import type { ReactNode } from 'react';
import { Group, Panel, Separator, useDefaultLayout } from 'react-resizable-panels';
import { WeightTable } from '../features/table/WeightTable.tsx';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { settingsChanged } from '../settings/uiSettings.ts';
import type { Step } from './stages.ts';
import type { Workspace } from './Workspace.ts';

/** The stage, and in Paint the table of weights below or beside it while it is open. */
export function StageAndTable({ at, step, children }: { at: Workspace; step: Step; children: ReactNode }) {
  const dispatch = useAppDispatch();
  const { tableShown, tableDock } = useUiSettings('tableShown', 'tableDock');
  const isShown = tableShown && step === 'paint';
  const layout = useDefaultLayout({
    id: `judoka.table.${tableDock}`,
    panelIds: isShown ? ['model', 'table'] : ['model'],
    storage: localStorage,
  });
  const isBelow = tableDock === 'below';
  return (
    <Group orientation={isBelow ? 'vertical' : 'horizontal'} {...layout}>
      <Panel id="model" minSize="25%">
        <div className="stage-place">{children}</div>
      </Panel>
      {isShown && <Separator className={isBelow ? 'handle-y' : 'handle-x'} />}
      {isShown && (
        <Panel id="table" defaultSize={isBelow ? '36%' : '46%'} minSize="90px">
          <WeightTable at={at} close={() => dispatch(settingsChanged({ tableShown: false }))} />
        </Panel>
      )}
    </Group>
  );
}
