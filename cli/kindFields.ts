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
    const words = [
      field.title.toLowerCase(),
      field.unit && `in ${field.unit}`,
      field.choices && `one of ${field.choices.join(', ')}`,
      field.to && `${/^[aeio]/.test(field.to) ? 'an' : 'a'} ${field.to}`,
    ];
    command.addOption(new Option(`--${name} <value>`, words.filter(Boolean).join('; ')));
  }
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
