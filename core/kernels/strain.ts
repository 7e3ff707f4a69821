// How far edges are stretched and faces changed, against rest. Twin: core/src/analysis/bends/strain.ts.

@inline
function place(ptr: usize, point: u32): usize { return ptr + <usize>point * 12; }

// Strain of each edge: its length in rest lengths less one; squeezed, one less the inverse, so that half and double
// count alike.
export function strainEdges(edgePtr: usize, restPtr: usize, count: i32, positionPtr: usize, outPtr: usize): void {
  for (let e: usize = 0; e < <usize>count; e++) {
    const a = place(positionPtr, load<u32>(edgePtr + (e << 3)));
    const b = place(positionPtr, load<u32>(edgePtr + (e << 3), 4));
    const x = load<f32>(b) - load<f32>(a);
    const y = load<f32>(b, 4) - load<f32>(a, 4);
    const z = load<f32>(b, 8) - load<f32>(a, 8);
    const length = sqrt<f32>(x * x + y * y + z * z);
    const rest = load<f32>(restPtr + (e << 2));
    let strain: f32 = 0;
    if (length >= rest) strain = rest > 0 ? length / rest - 1 : 0;
    else strain = length > 0 ? max<f32>(-100, 1 - rest / length) : -100;
    store<f32>(outPtr + (e << 2), strain);
  }
}

// Area of each face in rest areas; negative where the face looks away from where its corners' normals look.
export function strainFaces(
  trianglePtr: usize, restPtr: usize, count: i32, positionPtr: usize, normalPtr: usize, outPtr: usize,
): void {
  for (let t: usize = 0; t < <usize>count; t++) {
    const at = trianglePtr + t * 12;
    const ia = load<u32>(at), ib = load<u32>(at, 4), ic = load<u32>(at, 8);
    const a = place(positionPtr, ia), b = place(positionPtr, ib), c = place(positionPtr, ic);
    const ax = load<f32>(a), ay = load<f32>(a, 4), az = load<f32>(a, 8);
    const ux = load<f32>(b) - ax, uy = load<f32>(b, 4) - ay, uz = load<f32>(b, 8) - az;
    const vx = load<f32>(c) - ax, vy = load<f32>(c, 4) - ay, vz = load<f32>(c, 8) - az;
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    const area = sqrt<f32>(x * x + y * y + z * z);
    const na = place(normalPtr, ia), nb = place(normalPtr, ib), nc = place(normalPtr, ic);
    const facing = x * (load<f32>(na) + load<f32>(nb) + load<f32>(nc))
      + y * (load<f32>(na, 4) + load<f32>(nb, 4) + load<f32>(nc, 4))
      + z * (load<f32>(na, 8) + load<f32>(nb, 8) + load<f32>(nc, 8));
    const rest = load<f32>(restPtr + (t << 2));
    // The sign of a rest area says how the face looked at rest.
    const sign: f32 = facing < 0 ? -1 : 1;
    store<f32>(outPtr + (t << 2), rest != 0 ? (sign * area) / rest : 1);
  }
}

// For each point the strain of its edges that is farthest from none.
export function strainPoints(edgePtr: usize, strainPtr: usize, count: i32, outPtr: usize): void {
  for (let e: usize = 0; e < <usize>count; e++) {
    const strain = load<f32>(strainPtr + (e << 2));
    const size = abs<f32>(strain);
    const a = outPtr + (<usize>load<u32>(edgePtr + (e << 3)) << 2);
    const b = outPtr + (<usize>load<u32>(edgePtr + (e << 3), 4) << 2);
    if (size > abs<f32>(load<f32>(a))) store<f32>(a, strain);
    if (size > abs<f32>(load<f32>(b))) store<f32>(b, strain);
  }
}
