/** What a test puts into a small COLLADA file; each as XML. */
export interface TestDae {
  readonly asset?: string;
  readonly faces?: string;
  readonly controllers?: string;
  readonly nodes?: string;
  readonly more?: string;
}

const floats = (id: string, numbers: string, params: string): string => {
  const count = numbers.trim().split(/\s+/).length;
  const names = params.split(' ');
  return `<source id="${id}"><float_array id="${id}-array" count="${count}">${numbers}</float_array>
    <technique_common><accessor source="#${id}-array" count="${count / names.length}" stride="${names.length}">
    ${names.map((name) => `<param name="${name}" type="float"/>`).join('')}</accessor></technique_common></source>`;
};

export const words = (id: string, array: string, names: string): string =>
  `<source id="${id}"><${array} id="${id}-array" count="${names.split(' ').length}">${names}</${array}></source>`;

/** Two squares, one on the other, as quads: positions 0 to 5 by rows, one normal for all. */
export const QUADS = `<polylist count="2" material="skin"><input semantic="VERTEX" source="#leg-vertices" offset="0"/>
  <input semantic="NORMAL" source="#leg-normals" offset="1"/>
  <vcount>4 4</vcount><p>0 0 1 0 3 0 2 0 2 0 3 0 5 0 4 0</p></polylist>`;

const LEG = 'X Y Z';
export const POSITIONS = '0 0 0 1 0 0 0 1 0 1 1 0 0 2 0 1 2 0';

/** A leg of two joints, written as the standard's own examples are. */
export const SKIN = `<controller id="leg-skin"><skin source="#leg">
  <bind_shape_matrix>1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix>
  ${words('names', 'Name_array', 'hip knee')}
  <source id="binds"><float_array id="binds-array" count="32">
    1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1   1 0 0 0 0 1 0 -1 0 0 1 0 0 0 0 1</float_array>
    <technique_common><accessor source="#binds-array" count="2" stride="16">
    <param name="TRANSFORM" type="float4x4"/></accessor></technique_common></source>
  ${floats('weights', '1 0.75 0.25', 'WEIGHT')}
  <joints><input semantic="JOINT" source="#names"/><input semantic="INV_BIND_MATRIX" source="#binds"/></joints>
  <vertex_weights count="6"><input semantic="JOINT" source="#names" offset="0"/>
    <input semantic="WEIGHT" source="#weights" offset="1"/>
    <vcount>1 1 2 2 1 1</vcount><v>0 0 0 0 0 1 1 2 0 1 1 2 1 0 1 0</v></vertex_weights>
</skin></controller>`;

export const SKINNED_NODES = `<node id="n-hip" sid="hip" name="Hip" type="JOINT">
    <node id="n-knee" sid="knee" name="Knee" type="JOINT"><translate sid="place">0 1 0</translate>
      <rotate sid="bend">1 0 0 0</rotate></node></node>
  <node id="n-leg" name="leg"><instance_controller url="#leg-skin"><skeleton>#n-hip</skeleton></instance_controller></node>`;

export function testDae({
  asset = '',
  faces = QUADS,
  controllers = '',
  nodes,
  more = '',
}: TestDae = {}): string {
  return `<?xml version="1.0"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset>${asset}</asset>
<library_geometries><geometry id="leg" name="leg mesh"><mesh>
  ${floats('leg-positions', POSITIONS, LEG)}
  ${floats('leg-normals', '0 0 2', LEG)}
  <vertices id="leg-vertices"><input semantic="POSITION" source="#leg-positions"/></vertices>
  ${faces}
</mesh></geometry></library_geometries>
${controllers === '' ? '' : `<library_controllers>${controllers}</library_controllers>`}
${more}
<library_visual_scenes><visual_scene id="scene" name="stage">
${nodes ?? '<node id="n" name="one"><instance_geometry url="#leg"/></node>'}
</visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#scene"/></scene>
</COLLADA>`;
}
