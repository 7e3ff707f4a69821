import { Checkbox, Select } from '@mantine/core';
import { settingsChanged, type WeightView } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';

export const VIEWS: readonly { readonly value: WeightView; readonly label: string }[] = [
  { value: 'tide', label: 'Tide' },
  { value: 'grey', label: 'Grey' },
  { value: 'lines', label: 'Lines only' },
  { value: 'joints', label: 'All joints' },
  { value: 'count', label: 'Number of influences' },
  { value: 'plain', label: 'Plain clay' },
];

/** How weights are drawn. */
export function ViewPanel() {
  const dispatch = useAppDispatch();
  const { view, showJoints, edges, seeThrough } = useBench();
  return (
    <section className="group">
      <h2>View</h2>
      <Select
        aria-label="Weights drawn as"
        data={[...VIEWS]}
        value={view}
        allowDeselect={false}
        onChange={(value) => dispatch(settingsChanged({ view: value as WeightView }))}
      />
      <Checkbox
        mt={8}
        size="xs"
        label="Edges"
        checked={edges}
        onChange={(event) => dispatch(settingsChanged({ edges: event.currentTarget.checked }))}
      />
      <Checkbox
        mt={4}
        size="xs"
        label="See through"
        checked={seeThrough}
        onChange={(event) => dispatch(settingsChanged({ seeThrough: event.currentTarget.checked }))}
      />
      <Checkbox
        mt={4}
        size="xs"
        label="Joints"
        checked={showJoints}
        onChange={(event) => dispatch(settingsChanged({ showJoints: event.currentTarget.checked }))}
      />
    </section>
  );
}
