/** How careful a change is: the options that an errand and a push have in common, and what they say to the service. */
import type { Command } from 'commander';
import type { Expectation } from '@zpine/core/fleet/expectations';
import { expectationsOf } from './expecting.ts';
import { withDevices, type Selected } from './runs.ts';

export interface CareOptions extends Selected {
  ask: string[];
  expect: string[];
  expectNot: string[];
  keep: boolean;
  perSite?: string;
  insist?: boolean;
  everything?: boolean;
  go?: string;
}

const list = (value: string, before: string[]): string[] => [...before, value];

/** `keep`: whether it stores anything; `insist`: on what. */
export function withCare(
  command: Command,
  { keep = true, insist = 'although the service would lose its way in; needs --reason' } = {},
): Command {
  const careful = withDevices(command)
    .option('--ask <question>', 'a named question, asked before and after; may come again', list, [] as string[])
    .option(
      '--expect <text>',
      'what the answers have to say afterwards: a word, or FIELD=VALUE; may come again',
      list,
      [] as string[],
    )
    .option('--expect-not <text>', 'what they must not say', list, [] as string[])
    .option('--per-site <number>', 'so many devices of one site at a time')
    .option('--insist', insist)
    .option('--everything', 'the selection may be every device there is')
    .option('--go <number>', 'confirm without being asked: the number of devices that are to be changed');
  return keep ? careful.option('--no-keep', 'do not have the devices store what then runs') : careful;
}

interface Care {
  questions: string[];
  expect: Expectation[];
  keep: boolean;
  insist: boolean;
  everything: boolean;
  perSite?: number;
}

export const careOf = (options: CareOptions): Care => ({
  questions: options.ask,
  expect: expectationsOf(options),
  keep: options.keep,
  insist: options.insist === true,
  everything: options.everything === true,
  ...(options.perSite === undefined ? {} : { perSite: Number(options.perSite) }),
});
