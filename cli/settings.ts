import { type Command, Option } from 'commander';
import {
  layerKinds,
  modes,
  valueFromText,
  type LayerKind,
  type Mode,
  type SettingType,
} from '@zpine/core/settings/layers';
import { cellText } from '@zpine/contract/csv';
import type { Value } from '@zpine/contract/fields';
import { isKind, kindOf } from '@zpine/contract/kinds';
import type { ExplainedSetting } from '@zpine/contract/onboardingShapes';
import { clientOf, outputOf } from './context.ts';
import { err, out, table } from './print.ts';
import { UsageError } from './refusals.ts';

/** `site ard`, `everywhere`. */
const layerWords = (layer: string, of: string): string => (of === '' ? layer : `${layer} ${of}`);

/** A value as people write it. */
export function valueText(value: unknown): string {
  if (value === null || value === undefined) return '–';
  if (Array.isArray(value)) return value.map(valueText).join(', ');
  if (typeof value === 'object')
    return Object.entries(value)
      .map(([k, v]) => `${k}=${valueText(v)}`)
      .join(', ');
  return typeof value === 'string' ? value.replaceAll('\n', ' ⏎ ') : JSON.stringify(value);
}

/** A value of a field of a kind, as its lists show it. */
export function fieldText(kind: string, field: string, value: unknown): string {
  if (value === null || value === undefined || !isKind(kind)) return valueText(value);
  return valueText(cellText(kindOf(kind), field, { [field]: value as Value }));
}

const cut = (text: string, most: number): string => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** `--on site:ard`, or `--on everywhere`. */
function layerFrom(text: string): { layer: LayerKind; of?: string } {
  const at = text.indexOf(':');
  const [layer, of] = at < 0 ? [text, undefined] : [text.slice(0, at), text.slice(at + 1)];
  if (!(layerKinds as readonly string[]).includes(layer)) {
    throw new UsageError(
      `"${text}" is not a layer: write everywhere, or KIND:RECORD with one of ${layerKinds.slice(1).join(', ')}`,
    );
  }
  return of === undefined ? { layer: layer as LayerKind } : { layer: layer as LayerKind, of };
}

export function addSettingVerbs(noun: Command): void {
  noun
    .command('explain')
    .description('the effective settings of a device, and the layers that they come from')
    .argument('<device>')
    .argument('[name]', 'only this setting, or those that begin so')
    .option('--set', 'only what a layer says something about')
    .addHelpText('after', '\nExample:\n  zpine setting explain ard-acc-1 time')
    .action(async (device: string, name: string | undefined, options: { set?: boolean }, command: Command) => {
      const { items } = await clientOf().call('device.settings', { params: { ref: device } });
      const wanted = items.filter(
        (s) => (name === undefined || s.name.startsWith(name)) && (!options.set || s.steps.length > 0),
      );
      if (outputOf(command).json) return out(JSON.stringify(wanted, null, 2));
      if (wanted.length === 0) return err(`no setting begins with "${name ?? ''}"`);
      out(table(['setting', 'value', 'from'], wanted.flatMap(rowsOf)));
    });

  const on = (command: Command): Command =>
    command
      .requiredOption('--on <layer>', 'everywhere, or KIND:RECORD such as site:ard, area:north-line, device:ard-acc-1')
      .option('--reason <text>', 'why, for the history');

  on(
    noun
      .command('set')
      .description('give a setting a value in a layer')
      .argument('<name>')
      .argument('[value]', 'lists with commas, maps as NAME=VALUE,…; left out, it is read from standard input'),
  )
    .addOption(
      new Option('--mode <mode>', 'what the value does to what weaker layers say').choices([...modes]).default('set'),
    )
    .addHelpText(
      'after',
      '\nExamples:\n  zpine setting set time.servers 10.77.0.5,10.77.0.6 --on everywhere\n  zpine setting set time.servers 10.77.32.12 --on site:cob --mode add\n  zpine setting set trap.word --on everywhere < word.txt',
    )
    .action(
      async (
        name: string,
        text: string | undefined,
        options: { on: string; mode: Mode; reason?: string },
        command: Command,
      ) => {
        const client = clientOf();
        const setting = await client.show('setting', name);
        if (text !== undefined && setting.secret)
          throw new UsageError(
            `${name} is a secret, and the command line is kept in the shell's history: give it on standard input, as in zpine setting set ${name} --on ${options.on} < FILE`,
          );
        const given = text ?? (await readInput());
        const value = valueFromText(setting.valueType as SettingType, options.mode, given);
        const put = await client.call('value.put', {
          body: { setting: name, ...layerFrom(options.on), mode: options.mode, value },
          reason: options.reason,
        });
        if (outputOf(command).json) return out(JSON.stringify(put, null, 2));
        out(
          `${put.setting} ${words[put.mode]} ${valueText(put.value)} ${put.layer === 'everywhere' ? 'everywhere' : `on ${layerWords(put.layer, put.of)}`}`,
        );
      },
    );

  on(noun.command('unset').description('take the value of a setting out of a layer').argument('<name>')).action(
    async (name: string, options: { on: string; reason?: string }) => {
      const { removed } = await clientOf().call('value.remove', {
        body: { setting: name, ...layerFrom(options.on) },
        reason: options.reason,
      });
      const { layer, of } = layerFrom(options.on);
      const where = layer === 'everywhere' ? 'everywhere' : `on ${layerWords(layer, of ?? '')}`;
      out(removed ? `${name} is no longer set ${where}` : `${name} was not set ${where}`);
    },
  );

  noun
    .command('values')
    .description('what layers say')
    .argument('[name]', 'only about this setting')
    .option('--on <layer>', 'only this layer')
    .action(async (name: string | undefined, options: { on?: string }, command: Command) => {
      const where = options.on === undefined ? {} : layerFrom(options.on);
      const { items } = await clientOf().call('value.list', {
        query: { ...(name === undefined ? {} : { setting: name }), ...where },
      });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('no layer says anything; zpine setting set NAME VALUE --on LAYER');
      out(
        table(
          ['layer', 'setting', '', 'value', 'by'],
          items.map((v) => [
            layerWords(v.layer, v.of),
            v.setting,
            v.mode === 'set' ? '' : v.mode,
            cut(valueText(v.value), 60),
            v.updatedBy,
          ]),
        ),
      );
    });
}

const words: Record<Mode, string> = { set: 'is', add: 'gets', 'take-away': 'loses' };

async function readInput(): Promise<string> {
  let text = '';
  for await (const chunk of process.stdin) text += String(chunk);
  return text.replace(/\r?\n$/, '');
}

/** The value with its origin; what several layers said is told below, weakest first. */
function rowsOf(s: ExplainedSetting): string[][] {
  const unit = s.unit && s.value !== null ? ` ${s.unit}` : '';
  const from = s.origin ? layerWords(s.origin.kind, s.origin.key) : s.value === null ? 'not set' : 'default';
  const head = [s.name, cut(valueText(s.value), 60) + unit, from];
  if (s.steps.length < 2) return [head];
  return [
    head,
    ...s.steps.map((step) => [
      `  ${step.stands ? '·' : '×'} ${step.mode}`,
      cut(valueText(step.value), 60),
      layerWords(step.layer, step.of),
    ]),
  ];
}
