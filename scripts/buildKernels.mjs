// Compiles core/kernels (AssemblyScript) to WebAssembly SIMD and embeds the bytes as core/src/memory/kernelBytes.ts.
// Does nothing when the embedded bytes are newer than every source.
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const sourceFolder = join(root, 'core/kernels');
const target = join(root, 'core/src/memory/kernelBytes.ts');

export async function buildKernels() {
  const sources = readdirSync(sourceFolder).map((name) => join(sourceFolder, name));
  const newest = Math.max(
    ...[...sources, fileURLToPath(import.meta.url)].map((path) => statSync(path).mtimeMs),
  );
  const built = statSync(target, { throwIfNoEntry: false });
  if (built && built.mtimeMs > newest) return false;

  const { default: asc } = await import('assemblyscript/asc');
  const output = join(root, '.cache/kernels.wasm');
  mkdirSync(dirname(output), { recursive: true });
  const { error, stderr } = await asc.main([
    join(sourceFolder, 'index.ts'),
    '--outFile',
    output,
    '--runtime',
    'stub',
    '--importMemory',
    '--noExportMemory',
    '--initialMemory',
    '1',
    '--enable',
    'simd',
    '--noAssert',
    '-O3',
    '--converge',
  ]);
  if (error) throw new Error(`The kernels do not compile: ${error.message}\n${stderr.toString()}`);
  const base64 = readFileSync(output).toString('base64');
  writeFileSync(
    target,
    `// Made by scripts/buildKernels.mjs from core/kernels; not edited by hand.\nexport const kernelBytes = '${base64}';\n`,
  );
  return true;
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  console.log((await buildKernels()) ? 'Kernels built.' : 'Kernels are up to date.');
}
