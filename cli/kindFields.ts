/** The fields of a kind as options of a command. */
import { Option, type Command } from 'commander';
import { typeOf, type Field, type Value } from '@zpine/contract/fields';
import { fieldsOf, type KindDescription } from '@zpine/contract/kind';

export type AnyFields = Record<string, Value>;
export type Options = Record<string, string | boolean | undefined>;

const given = (field: Field) => !field.derived && !field.byVerb;

export function addFieldOptions(command: Command, k: KindDescription, wanted: (name: string) => boolean): void {
  for (const [name, field] of fieldsOf(k)) {
    if (!given(field) || !wanted(name)) continue;
    command.addOption(new Option(`--${name} <value>`, optionWords(name, field)));
  }
}

/** Titles begin with a capital; abbreviations keep theirs. */
export const lowered = (title: string): string => (/^[A-Z]{2}|^[A-Z]$/.test(title) ? title : title.toLowerCase());

/** A sentence that goes on behind a semicolon. */
const begun = (words: string): string =>
  /^[A-Z][a-z]/.test(words) ? words.charAt(0).toLowerCase() + words.slice(1) : words;

/** What the field is, of what sort, and how it is written: never the name of the option once more. */
function optionWords(name: string, field: Field): string {
  const title = lowered(field.title);
  const sort =
    field.type === 'bool'
      ? 'yes or no'
      : field.choices
        ? `one of ${field.choices.join(', ')}`
        : field.to && `the key of ${/^[aeio]/.test(field.to) ? 'an' : 'a'} ${field.to}`;
  const words = [
    title === name.toLowerCase() && (field.about || sort) ? '' : title,
    field.about && begun(field.about),
    sort,
  ];
  const unit =
    field.unit && field.unit.toLowerCase() !== title ? `, in ${field.unit === 'in' ? 'inches' : field.unit}` : '';
  const example = field.example && !field.choices ? `, such as ${field.example}` : '';
  return `${words.filter(Boolean).join('; ')}${unit}${example}`;
}

/** The fields among a command's options, as the API takes them. */
export function fieldsFrom(k: KindDescription, options: Options): AnyFields {
  const fields: AnyFields = {};
  for (const [name, field] of fieldsOf(k)) {
    const text = options[name];
    if (typeof text === 'string') fields[name] = typeOf(field).fromText(text) as Value;
  }
  return fields;
}
