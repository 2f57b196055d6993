import { Command, CommanderError } from 'commander';
import root from '../package.json' with { type: 'json' };
import { addAddressVerbs } from './addresses.ts';
import { addArrivals } from './arrivals.ts';
import { addBooting } from './booting.ts';
import { addEditions } from './editions.ts';
import { addCableVerbs } from './cables.ts';
import { addCardVerbs, addModelVerbs } from './hardware.ts';
import { addSiteVerbs } from './sites.ts';
import { addRackFilling, addRackVerbs } from './racks.ts';
import { addSettingVerbs } from './settings.ts';
import { addTemplateVerbs } from './templates.ts';
import { addDeviceVerbs } from './devices.ts';
import { addKinds } from './kindCommands.ts';
import { addCheckVerbs } from './checks.ts';
import { addCompletion } from './completion.ts';
import { outputOf } from './context.ts';
import { addCaptures } from './captures.ts';
import { addDoctor } from './doctor.ts';
import { addDialectVerbs } from './dialects.ts';
import { addGoAndBack, confirmed } from './changing.ts';
import { addComparing } from './comparing.ts';
import { addOperationNouns } from './operations.ts';
import { addErrands } from './errands.ts';
import { addExports } from './exports.ts';
import { addFinding } from './finding.ts';
import { addImports } from './imports.ts';
import { addPreview, toldPreview } from './impact.ts';
import { addLists } from './lists.ts';
import { addLive } from './live.ts';
import { addAsking } from './asking.ts';
import { addReaching } from './reaching.ts';
import { addProfileVerbs } from './bootProfiles.ts';
import { addBatchVerbs, addPreparing } from './batches.ts';
import { addJobs } from './jobs.ts';
import { addSwaps } from './swaps.ts';
import { addImageVerbs, addUpgrading } from './images.ts';
import { addRoutineVerbs } from './routines.ts';
import { addOpening } from './opening.ts';
import { addLeasing } from './leasing.ts';
import { addSweeping } from './sweeping.ts';
import { addRuns } from './runs.ts';
import { addLinking, addLookups, addPrefixVerbs } from './lookups.ts';
import { addPlanVerbs } from './plans.ts';
import { addNames } from './names.ts';
import { addPrefixTree } from './prefixTree.ts';
import { addOverviews } from './overviews.ts';
import { report, status } from './refusals.ts';
import { addSignIn } from './signIn.ts';
import { addUsers } from './users.ts';

/** The headings of `zpine --help`; every kind of record without one here stands under Records. */
const groups: Record<string, string> = {
  'Every day': 'today search history undo removed restore view',
  'Many at once': 'import export names',
  Addresses: 'lookup overlaps convert',
  Booting: 'edition arrival swap batch job dhcp boot sign stranger',
  'The running fleet':
    'reach sweep ask capture compare push drift errand routine operation upgrade check exception run live watch',
  Upkeep: 'doctor completion',
  'Signing in': 'sign-in sign-out who password token user',
};
const groupOf = (name: string): string =>
  `${Object.keys(groups).find((title) => groups[title]?.split(' ').includes(name)) ?? 'Records'}:`;

/** These have to do with all commands. */
const ofAll = ['completion', 'complete', 'help'];

/** The word that a command line begins with, where the rest is that command's alone: nothing else need be made for it. */
function askedOf(words: readonly string[]): string | undefined {
  const first = words.find((word) => !word.startsWith('-'));
  return first === undefined || ofAll.includes(first) ? undefined : first;
}

function makeProgram(): Command {
  const program = new Command('zpine')
    .description('Zealous Pine: the source of truth that brings switches into service')
    .version(`zpine ${root.version}`, '--version', 'which version this is')
    .option('--json', 'answer in JSON')
    .option('--csv', 'answer in CSV, where there is a table')
    .configureHelp({ showGlobalOptions: true })
    .showSuggestionAfterError()
    .exitOverride()
    .addHelpText(
      'after',
      `
Examples:
  zpine sign-in http://127.0.0.1:7780 --user m.lind
  zpine device list --site ard
  zpine rack add ard/closet/w2 --heightU 12 --reason 'second rack on the quay'
  zpine address next --for ske-acc-1
  zpine edition make ard-acc-1
  zpine arrival watch ard-acc-1
  zpine reach --where 'stage=unproved' --accept
  zpine ask time --where 'site=har' --expect 10.77.0.5
  zpine search 0000.5e00.53a1
  zpine device edit --where 'site=ske duty=access' --add-labels quay

Exit status: 0 done, 1 refused, 2 wrong usage, 3 service not reached.`,
    );
  addSignIn(program);
  addUsers(program);
  addOverviews(program);
  addImports(program);
  addExports(program);
  addFinding(program);
  const nouns = addKinds(program, askedOf(process.argv.slice(2)));
  addDeviceVerbs(nouns.get('device') ?? program);
  addCardVerbs(nouns.get('device') ?? program);
  addModelVerbs(nouns.get('model') ?? program);
  addCableVerbs(nouns.get('cable') ?? program);
  addSiteVerbs(nouns.get('site') ?? program);
  addRackVerbs(nouns.get('rack') ?? program);
  addRackFilling(nouns.get('rack') ?? program);
  addAddressVerbs(nouns.get('address') ?? program);
  addPrefixVerbs(nouns.get('prefix') ?? program);
  addPrefixTree(nouns.get('prefix') ?? program);
  addLinking(nouns.get('address') ?? program);
  addPlanVerbs(nouns.get('siteplan') ?? program);
  addNames(program);
  addLookups(program);
  addCheckVerbs(nouns.get('check') ?? program);
  addProfileVerbs(nouns.get('bootprofile') ?? program);
  addBatchVerbs(nouns.get('batch') ?? program);
  addPreparing(nouns.get('device') ?? program);
  addImageVerbs(nouns.get('image') ?? program);
  addRoutineVerbs(nouns.get('routine') ?? program);
  addOpening(program);
  addSweeping(program, nouns.get('prefix') ?? program);
  addSettingVerbs(nouns.get('setting') ?? program);
  addTemplateVerbs(nouns.get('template') ?? program);
  addEditions(program);
  addArrivals(program);
  addSwaps(program);
  addJobs(program);
  addBooting(program);
  addLeasing(program);
  addReaching(program);
  addAsking(program);
  addCaptures(program);
  addComparing(program);
  addErrands(program);
  addUpgrading(program);
  addOperationNouns(program);
  addGoAndBack(addRuns(program, confirmed));
  addLive(program);
  addDoctor(program);
  addDialectVerbs(nouns.get('dialect') ?? program);
  addLists(nouns.get('box') ?? program, nouns.get('device') ?? program);
  addCompletion(program);
  for (const command of program.commands) command.helpGroup(groupOf(command.name()));
  const inherit = (command: Command): void =>
    command.commands.forEach((child) => (child.copyInheritedSettings(command), inherit(child)));
  addPreview(program);
  inherit(program);
  return program;
}

async function main(): Promise<void> {
  const program = makeProgram();
  try {
    await program.parseAsync();
  } catch (error) {
    if (toldPreview(error, outputOf(program).json)) return;
    if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : status.usage;
    else process.exitCode = report(error);
  }
}

process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  // The reader went away, as `| head` does: nothing is wrong.
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});
// A connection that is kept for another request would hold the end up.
void main().then(() => process.stdout.write('', () => process.exit()));
