// The parts of css-tree that need no tables of what properties may hold; its types name the whole alone.
declare module 'css-tree/parser' {
  export { parse as default } from 'css-tree';
}
declare module 'css-tree/walker' {
  export { walk as default } from 'css-tree';
}
declare module 'css-tree/generator' {
  export { generate as default } from 'css-tree';
}
