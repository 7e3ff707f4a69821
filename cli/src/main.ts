import { CoreError } from '@judoka/core/errors';
import { Command, CommanderError } from 'commander';
import type { BindOptions } from './bind.ts';
import { checkOutput } from './output.ts';
import { sentence } from './sentence.ts';
import type { StrayOptions } from './strays.ts';
import type { MotionOptions } from './motion.ts';
import type { TransferOptions } from './transfer.ts';
import type { TrialOptions } from './trial.ts';
import type { BakeOptions } from './bake.ts';
import type { MirrorOptions, PruneOptions, SmoothOptions, WeightOptions } from './weights.ts';

// A command is loaded when it is given: most of what the others need is never looked at.

/** Exit codes: 0 fine, 1 findings, 2 unreadable or misused (one sentence on stderr). */
const UNREADABLE = 2;

const program = new Command('judoka')
  .description(
    'Checks, repairs, binds, converts and delivers bound characters (.glb, .gltf, .dae, .obj, .svg, or zipped).',
  )
  .exitOverride();
// Misuse is one sentence, like every other refusal.
program.configureOutput({ writeErr: () => undefined });

program
  .command('info')
  .argument('<file>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
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
  .argument('<in>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
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
  .argument('<file>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
  .option('--json', 'print the findings as JSON')
  .option('--profile <name>', 'the limits to check against: everyday, phone, console or film')
  .description('Lists everything that is wrong, or may be. Exit 1 if there is an error.')
  .action(async (file: string, options: { json?: boolean; profile?: string }) => {
    const { check } = await import('./check.ts');
    process.exitCode = await check(file, options);
  });

program
  .command('repair')
  .argument('<in>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
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
  .argument('<in>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
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
const CLIPS_HELP =
  'clips to count beside the range of motion, with commas between, up to 24 frames of each; all if nothing is said, or none';

function weightCommand(name: string, does: string): Command {
  return program
    .command(name)
    .argument('<in>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
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
  .option(
    '--by <how>',
    'what goes above the largest number: what moves least, or weight: the smallest',
    'movement',
  )
  .action(async (input: string, output: string, options: PruneOptions) => {
    checkOutput(output);
    const { prune } = await import('./weights.ts');
    return prune(input, output, options);
  });

weightCommand('cure', 'Finds weights under which bends keep their lengths and volume.')
  .option('--joints <joints>', 'joints whose bends are cured, with commas between; else all')
  .action(async (input: string, output: string, options: WeightOptions) => {
    checkOutput(output);
    const { cure } = await import('./cure.ts');
    return cure(input, output, options);
  });

weightCommand(
  'bake',
  'Gives plain weights the look of a relaxed or dual-quaternion surface, or of clothes that follow a body, as nearly as they can.',
)
  .option('--look <look>', 'what is baked: relaxed, dual or following', 'relaxed')
  .option('--driver <part>', 'with --look following: the part whose surface --parts follow')
  .option('--shapes <file>', 'bake the frames of a .glb of the same points and joints instead')
  .option('--passes <n>', 'passes of relaxing; 10 if nothing is said')
  .option('--strength <share>', 'how much of relaxing, 0 to 1; 1 if nothing is said')
  .option('--keep-volume', 'relaxing takes back what it shrinks')
  .option('--parts <parts>', 'parts to bake, with commas between; else all')
  .option('--clips <clips>', CLIPS_HELP)
  .action(async (input: string, output: string, options: BakeOptions) => {
    checkOutput(output);
    const { bake } = await import('./bake.ts');
    return bake(input, output, options);
  });

weightCommand(
  'relax',
  'Relaxes the bent surface, as far as plain weights can show it: judoka bake --look relaxed.',
)
  .option('--passes <n>', 'passes of relaxing; 10 if nothing is said')
  .option('--strength <share>', 'how much of relaxing, 0 to 1; 1 if nothing is said')
  .option('--keep-volume', 'relaxing takes back what it shrinks')
  .option('--parts <parts>', 'parts to relax, with commas between; else all')
  .option('--clips <clips>', CLIPS_HELP)
  .action(async (input: string, output: string, options: BakeOptions) => {
    checkOutput(output);
    const { bake } = await import('./bake.ts');
    return bake(input, output, { ...options, look: 'relaxed' });
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
  .argument('<file>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
  .option('--json', 'print the figures as JSON')
  .option('--clip <name>', 'measure a clip of the file instead of the range of motion')
  .option('--bvh <file>', 'measure a .bvh motion, mapped by names, instead')
  .option('--skinning <how>', 'linear or dual (quaternions)', 'linear')
  .option('--relaxed <passes>', 'relax the surface by so many passes, and measure that')
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
  .argument('<file>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
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
  .argument('<file>', 'a character: .glb, .gltf, .dae, .obj, .svg or .zip')
  .option('--json', 'print the strays as JSON')
  .option('--remove <out>', 'write a file without them: .glb or .gltf')
  .option('--all', 'also what lies on both sides alike, which may be meant')
  .description('Finds weight that does not belong where it is. Exit 1 if there is some and it stays.')
  .action(async (file: string, options: StrayOptions) => {
    const { strays } = await import('./strays.ts');
    process.exitCode = await strays(file, options);
  });

/** A command that takes any number of files and folders. */
function manyCommand(name: string, does: string, examples: string): Command {
  return program
    .command(name)
    .argument('<files...>', 'characters, or folders of them: .glb, .gltf, .dae, .obj, .svg, .zip')
    .option('--json', 'print a line of JSON a file')
    .option('--workers <n>', 'files at a time; as many as there are processors if nothing is said')
    .description(does)
    .addHelpText('after', `\nExamples:\n${examples}`);
}

interface ManyCommandOptions {
  out: string;
  json?: boolean;
  workers?: string;
  profile?: string;
}

async function many(
  files: readonly string[],
  steps: readonly object[],
  options: ManyCommandOptions,
): Promise<void> {
  const { readSteps } = await import('./batch/recipe.ts');
  const { runMany } = await import('./batch/manyFiles.ts');
  const workers = options.workers === undefined ? undefined : Number(options.workers);
  if (workers !== undefined && !(Number.isInteger(workers) && workers >= 1 && workers <= 256))
    throw new CoreError(
      'argument-invalid',
      `--workers is a whole number from 1 to 256, not “${options.workers ?? ''}”.`,
    );
  process.exitCode = await runMany(files, readSteps(steps), {
    out: options.out,
    json: options.json,
    workers,
  });
}

manyCommand(
  'deliver',
  'Brings characters within a profile’s limits, by least movement, and writes them. Exit 1 if a limit is not met.',
  '  judoka deliver heron.glb --profile phone --out delivered\n  judoka deliver cast/ --profile ours.json --format dae --out delivered --json\n',
)
  .requiredOption('--out <folder>', 'where to write')
  .option('--profile <name>', 'everyday, phone, console, film, or a .json file with your own limits')
  .option('--format <format>', 'glb, gltf or dae')
  .option('--weights <format>', 'f32, u16 or u8')
  .option('--packed', 'pack buffers (EXT_meshopt_compression)')
  .option('--split', 'split parts over the number of joints instead of dropping joints')
  .action(async (files: string[], options: ManyCommandOptions & Record<string, unknown>) => {
    const { profile, format, weights, packed, split } = options;
    const step = { do: 'deliver', profile, format, weights, packed, split };
    await many(files, [step], options);
  });

manyCommand(
  'report',
  'Writes a page a character, and its figures as .json: pictures, limits, check-up, strays, bends.',
  '  judoka report heron.glb --out reports\n  judoka report cast/ --profile console --out reports\n',
)
  .requiredOption('--out <folder>', 'where to write')
  .option('--profile <name>', 'the limits to hold it against')
  .action(async (files: string[], options: ManyCommandOptions) => {
    await many(files, [{ do: 'report', profile: options.profile }], options);
  });

program
  .command('run')
  .argument('<recipe>', 'a .json file: a list of steps, each a command with its options')
  .argument('<files...>', 'characters, or folders of them')
  .requiredOption('--out <folder>', 'where to write')
  .option('--json', 'print a line of JSON a file')
  .option('--workers <n>', 'files at a time; as many as there are processors if nothing is said')
  .description('Does the steps of a recipe to each file, on all processors. Exit code of the worst.')
  .addHelpText(
    'after',
    `\nExamples:
  judoka run nightly.json cast/ --out tonight
  where nightly.json holds
  [{"do": "repair"}, {"do": "prune", "maxInfluences": 4}, {"do": "deliver", "profile": "phone"}, {"do": "report"}]\n`,
  )
  .action(async (recipe: string, files: string[], options: ManyCommandOptions) => {
    const { readRecipe } = await import('./batch/recipe.ts');
    await many(files, readRecipe(recipe), options);
  });

program
  .command('weights')
  .argument('<in>', 'a character')
  .argument('<table>', 'weights as .csv or .json; it is written where there is no <out>, else read')
  .argument('[out]', 'the .glb or .gltf file that gets the table’s weights')
  .option('--by <how>', 'how points of the table find theirs: index or place', 'index')
  .option('--json', 'print a summary as JSON')
  .description('Writes the weights of a character as a table, or gives it those of one.')
  .addHelpText(
    'after',
    '\nExamples:\n  judoka weights heron.glb heron.csv\n  judoka weights heron.glb heron.csv out.glb --by place\n',
  )
  .action(
    async (
      input: string,
      table: string,
      output: string | undefined,
      options: { by: string; json?: boolean },
    ) => {
      const { weightTable } = await import('./weightTable.ts');
      await weightTable(input, table, output, options);
    },
  );

/** What a person types, for the commands above that have no examples of their own. */
const EXAMPLES: Readonly<Record<string, readonly string[]>> = {
  info: ['judoka info heron.glb', 'judoka info heron.dae --json'],
  convert: ['judoka convert heron.gltf heron.glb', 'judoka convert cast.zip heron.glb'],
  check: ['judoka check heron.glb --profile phone', 'judoka check heron.glb --json'],
  repair: [
    'judoka repair heron.glb mended.glb',
    'judoka repair heron.glb mended.glb --only sums-off-one,unweighted',
  ],
  bind: [
    'judoka bind heron.obj bound.glb --method volume',
    'judoka bind heron.glb bound.glb --method heat --parts cape --falloff 0.5',
  ],
  transfer: [
    'judoka transfer old.glb new.glb out.glb',
    'judoka transfer old.glb new.glb out.glb --joints names.csv --parts body',
  ],
  normalize: ['judoka normalize heron.glb out.glb --max-influences 4'],
  prune: [
    'judoka prune heron.glb out.glb --max-influences 4',
    'judoka prune heron.glb out.glb --below 0.02 --round 0.05',
  ],
  bake: [
    'judoka bake heron.glb out.glb',
    'judoka bake heron.glb out.glb --look dual --max-influences 4 --json',
    'judoka bake heron.glb out.glb --look following --driver body --parts cape,scarf',
  ],
  relax: [
    'judoka relax heron.glb out.glb',
    'judoka relax heron.glb out.glb --passes 20 --clips walking --json',
  ],
  cure: ['judoka cure heron.glb out.glb', 'judoka cure heron.glb out.glb --joints knee_L,knee_R --json'],
  mirror: [
    'judoka mirror heron.glb out.glb --from left',
    'judoka mirror heron.glb out.glb --from right --by place --joints hand_R',
  ],
  smooth: ['judoka smooth heron.glb out.glb --passes 3 --lock head'],
  trial: ['judoka trial heron.glb', 'judoka trial heron.glb --clip walking --order damage --json'],
  motion: ['judoka motion heron.glb walk.bvh out.glb --in-place'],
  strays: ['judoka strays heron.glb', 'judoka strays heron.glb --remove out.glb'],
};
for (const command of program.commands) {
  const examples = EXAMPLES[command.name()] as readonly string[] | undefined;
  if (examples)
    command.addHelpText('after', `\nExamples:\n${examples.map((line) => `  ${line}\n`).join('')}`);
}
program.addHelpText('after', '\nEvery command has its own help with examples: judoka deliver --help\n');

if (process.argv[2] === '--as-worker-of-judoka' && process.send) {
  const { workForOthers } = await import('./batch/manyFiles.ts');
  workForOthers();
} else await runCommand();

async function runCommand(): Promise<void> {
  try {
    await program.parseAsync();
  } catch (error) {
    if (error instanceof CommanderError && error.exitCode === 0) process.exit(0);
    process.exitCode = UNREADABLE;
    const isBare = error instanceof CommanderError && error.code === 'commander.help';
    process.stderr.write(isBare ? program.helpInformation() : `${sentence(error)}\n`);
  }
}
