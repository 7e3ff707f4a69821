import { DeliveredPage } from '../features/deliver/DeliveredPage.tsx';
import { ExportPage } from '../features/deliver/ExportPage.tsx';
import { LimitsPage } from '../features/deliver/LimitsPage.tsx';
import '../features/deliver/deliver.css';
import { SaveTables } from '../features/tables/TableFiles.tsx';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { settingsChanged, type DeliverPage } from '../settings/uiSettings.ts';
import { Segments } from '../ui/Segments.tsx';
import type { Workspace } from './Workspace.ts';

const PAGES: Readonly<Record<DeliverPage, string>> = {
  limits: 'Limits',
  export: 'Export',
  delivered: 'Delivered',
};

/** Deliver: the profile's limits with their costs, how the file leaves, and what has left. */
export function DeliverStep({ at }: { at: Workspace }) {
  const dispatch = useAppDispatch();
  const { deliverPage } = useUiSettings('deliverPage');
  return (
    <>
      <div className="group">
        <Segments
          name="Page of Deliver"
          choices={PAGES}
          value={deliverPage}
          set={(next) => dispatch(settingsChanged({ deliverPage: next }))}
        />
      </div>
      {deliverPage === 'limits' && <LimitsPage at={at} />}
      {deliverPage === 'export' && <ExportPage at={at} />}
      {deliverPage === 'export' && <SaveTables at={at} />}
      {deliverPage === 'delivered' && <DeliveredPage at={at} />}
    </>
  );
}
