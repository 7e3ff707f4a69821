import { CoreError } from '@judoka/core/errors';
import { Command, CommanderError } from 'commander';
import type { BindOptions } from './bind.ts';
import { checkOutput } from './output.ts';
import type { StrayOptions } from './strays.ts';
import type { MotionOptions } from './motion.ts';
import type { TransferOptions } from './transfer.ts';
import type { TrialOptions } from './trial.ts';
import type { MirrorOptions, PruneOptions, SmoothOptions, WeightOptions } from './weights.ts';

// A command is loaded when it is given: most of what the others need is never looked at.

/** Exit codes: 0 fine, 1 findings, 2 unreadable or misused (one sentence on stderr). */
const UNREADABLE = 2;

const program = new Command('judoka')
  .description('Checks, repairs, binds and converts bound characters (.glb, .gltf, .svg).')
  .exitOverride();
// Misuse is one sentence, like every other refusal.
program.configureOutput({ writeErr: () => undefined });

program
  .command('info')
  .argument('<file>', 'a .glb, .gltf or .svg file')
  .option('--json', 'print the figures as JSON')
  .description(
    'Tells parts, points, joints and the state of the weights. Exit 1 if there is something wrong.',
  )
  .action(async (file: string, options: { json?: boolean }) => {
    const { info } = await import('./info.ts');
    process.exitCode = await info(file, options.json ?? false);
  });

program
  .command('convert')
  .argument('<in>', 'a .glb, .gltf or .svg file')
  .argument('<out>', 'where to write: a .glb or .gltf file')
  .description(
    'Passes a file through import and export: weights are normalized, everything else stays as it is.',
  )
  .action(async (input: string, output: string) => {
    const { convert } = await import('./convert.ts');
    await convert(input, output);
  });

program
  .command('check')
  .argument('<file>', 'a .glb, .gltf or .svg file')
  .option('--json', 'print the findings as JSON')
  .option('--profile <name>', 'the limits to check against: everyday, phone, console or film')
  .description('Lists everything that is wrong, or may be. Exit 1 if there is an error.')
  .action(async (file: string, options: { json?: boolean; profile?: string }) => {
    const { check } = await import('./check.ts');
    process.exitCode = await check(file, options);
  });

program
  .command('repair')
  .argument('<in>', 'a .glb, .gltf or .svg file')
  .argument('<out>', 'where to write: a .glb or .gltf file')
  .option('--only <codes>', 'repair these findings only, with commas between')
  .option('--profile <name>', 'the limits to repair to: everyday, phone, console or film')
  .description('Repairs what check says is repairable.')
  .action(async (input: string, output: string, options: { only?: string; profile?: string }) => {
    checkOutput(output);
    const { repair } = await import('./repair.ts');
    await repair(input, output, options);
  });

program
  .command('bind')
  .argument('<in>', 'a .glb, .gltf or .svg file')
  .argument('<out>', 'where to write: a .glb or .gltf file')
  .requiredOption('--method <method>', 'nearest, heat or volume')
  .option('--max-influences <n>', 'largest number of influences a vertex', '4')
  .option('--falloff <share>', 'how soft borders are, in shares of a limb’s thickness, above 0 and at most 1')
  .option('--joints <joints>', 'joints that may get weight, with commas between; else all but the root')
  .option(
    '--parts <parts>',
    'parts to bind, with commas between, whether they have a skin or not; else all that have one',
  )
  .option('--nodes-as-joints', 'take plain nodes of the file as joints: those that place or move something')
  .option('--only-deforming', 'leave out joints that look like helpers of the rig')
  .option('--json', 'print a summary as JSON')
  .description('Binds skinned parts anew.')
  .action(async (input: string, output: string, options: BindOptions) => {
    checkOutput(output);
    const { bind } = await import('./bind.ts');
    await bind(input, output, options);
  });

program
  .command('transfer')
  .argument('<from>', 'a .glb, .gltf or .svg file with the weights to take')
  .argument('<into>', 'the .glb or .gltf file that gets them')
  .argument('<out>', 'where to write: a .glb or .gltf file')
  .option('--joints <table.csv>', 'counterparts of joints: lines of source,target; the others are found')
  .option('--selection <file>', 'only these vertices: JSON with a list of numbers for each part’s name')
  .option('--parts <parts>', 'parts of the first file to take from, with commas between; else all')
  .option('--lock <joints>', 'joints whose weights stay, with commas between')
  .option('--distance <share>', 'how far a counterpart may be, as a share of the size', '0.05')
  .option('--angle <degrees>', 'how much it may face another way', '60')
  .option('--max-influences <n>', 'largest number of influences a vertex', '4')
  .option('--json', 'print a summary as JSON')
  .description('Gives a file the weights of another one: other points, other size, other names of joints.')
  .action(async (from: string, into: string, output: string, options: TransferOptions) => {
    checkOutput(output);
    const { transfer } = await import('./transfer.ts');
    await transfer(from, into, output, options);
  });

/** A command that takes weights from one file to another, with the options that all of these have. */
function weightCommand(name: string, does: string): Command {
  return program
    .command(name)
    .argument('<in>', 'a .glb, .gltf or .svg file')
    .argument('<out>', 'where to write: a .glb or .gltf file')
    .option('--max-influences <n>', 'largest number of influences a vertex')
    .option('--lock <joints>', 'joints whose weights stay, with commas between')
    .option('--json', 'print a summary as JSON')
    .description(does);
}

weightCommand('normalize', 'Makes every sum one, within the largest number of influences.').action(
  async (input: string, output: string, options: WeightOptions) => {
    checkOutput(output);
    const { normalize } = await import('./weights.ts');
    return normalize(input, output, options);
  },
);

weightCommand('prune', 'Drops small weights, keeps the largest, rounds; sums stay one.')
  .option('--below <weight>', 'weights below this go; 0.01 if nothing is said')
  .option('--round <step>', 'weights become multiples of this')
  .action(async (input: string, output: string, options: PruneOptions) => {
    checkOutput(output);
    const { prune } = await import('./weights.ts');
    return prune(input, output, options);
  });

weightCommand('mirror', 'Gives one side the mirrored weights of the other.')
  .requiredOption('--from <side>', 'the side to carry over: left or right')
  .option('--by <how>', 'how points find their counterparts: topology or place', 'topology')
  .option('--tolerance <share>', 'how far off they may be, as a share of the size; 0.002 if nothing is said')
  .option('--joints <joints>', 'joints of either side to mirror, with commas between; else all')
  .action(async (input: string, output: string, options: MirrorOptions) => {
    checkOutput(output);
    const { mirror } = await import('./weights.ts');
    return mirror(input, output, options);
  });

weightCommand('smooth', 'Smooths weights over the whole surface.')
  .option('--passes <n>', 'how many times; 1 if nothing is said')
  .option('--joints <joints>', 'joints to smooth, with commas between; else all influences')
  .action(async (input: string, output: string, options: SmoothOptions) => {
    checkOutput(output);
    const { smooth } = await import('./weights.ts');
    return smooth(input, output, options);
  });

program
  .command('trial')
  .argument('<file>', 'a .glb, .gltf or .svg file')
  .option('--json', 'print the figures as JSON')
  .option('--clip <name>', 'measure a clip of the file instead of the range of motion')
  .option('--bvh <file>', 'measure a .bvh motion, mapped by names, instead')
  .option('--skinning <how>', 'linear or dual (quaternions)', 'linear')
  .option(
    '--order <how>',
    'stretch: by how far a place is stretched, or damage: by how much is hurt',
    'stretch',
  )
  .description('Bends every joint through its range, or plays a motion, and tells the worst pose of each.')
  .action(async (file: string, options: TrialOptions) => {
    const { trial } = await import('./trial.ts');
    await trial(file, options);
  });

program
  .command('motion')
  .argument('<file>', 'a .glb, .gltf or .svg file')
  .argument('<motion>', 'a .bvh file')
  .argument('<out>', 'the file to write: .glb or .gltf')
  .option('--map <table>', 'a .csv file: joints, and the motion’s joints that they follow, a line each')
  .option('--in-place', 'take the way over the ground out of it')
  .option('--json', 'print who follows whom as JSON')
  .description(
    'Puts a motion onto a character, by roles and names, and writes it as a clip of the character.',
  )
  .action(async (file: string, motionFile: string, output: string, options: MotionOptions) => {
    const { motion } = await import('./motion.ts');
    await motion(file, motionFile, output, options);
  });

program
  .command('strays')
  .argument('<file>', 'a .glb, .gltf or .svg file')
  .option('--json', 'print the strays as JSON')
  .option('--remove <out>', 'write a file without them: .glb or .gltf')
  .option('--all', 'also what lies on both sides alike, which may be meant')
  .description('Finds weight that does not belong where it is. Exit 1 if there is some and it stays.')
  .action(async (file: string, options: StrayOptions) => {
    const { strays } = await import('./strays.ts');
    process.exitCode = await strays(file, options);
  });

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError && error.exitCode === 0) process.exit(0);
  process.exitCode = UNREADABLE;
  const isBare = error instanceof CommanderError && error.code === 'commander.help';
  process.stderr.write(isBare ? program.helpInformation() : `${sentence(error)}\n`);
}

function sentence(error: unknown): string {
  if (error instanceof CoreError) return error.message;
  if (error instanceof CommanderError)
    return error.message.replace(/^error: /, '').replace(/\s+/g, ' ') + '. Try: judoka --help';
  const { code, path, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT') return `There is no file “${path ?? ''}”.`;
  if (code === 'EACCES' || code === 'EISDIR') return `The file “${path ?? ''}” cannot be opened (${code}).`;
  return message.split('\n')[0];
}
