/** Names of interfaces in the records and on a device, either way, by the rules of a sheet. */
import { compilePattern, type Pattern } from '../text/pattern.ts';

interface Rule {
  records: string;
  device: string;
}

export interface InterfaceNames {
  toDevice: (name: string) => string;
  /** The name that the records have for it; undefined where a rule cannot be read backwards and it is no name itself. */
  toRecords: (name: string) => string | undefined;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** `lane {n}` as a pattern that finds n. */
function backwards(device: string): Pattern {
  const parts = device.split(/(\{\w+\})/);
  return compilePattern(
    `^${parts.map((part) => (/^\{\w+\}$/.test(part) ? `(?<${part.slice(1, -1)}>.+)` : escaped(part))).join('')}$`,
  );
}

/** A pattern with its named parts as their values: `^vlan(?<n>[0-9]+)$` is vlan304. */
function withValues(source: string, values: Record<string, string>): string {
  let out = '';
  for (let i = 0; i < source.length; i += 1) {
    const name = /^\(\?<(\w+)>/.exec(source.slice(i))?.[1];
    if (name === undefined) {
      const sign = source[i] ?? '';
      if (sign === '\\') out += source[(i += 1)] ?? '';
      else if (sign !== '^' && sign !== '$') out += sign;
      continue;
    }
    let depth = 0;
    for (; i < source.length; i += 1) {
      if (source[i] === '\\') i += 1;
      else if (source[i] === '(') depth += 1;
      else if (source[i] === ')' && (depth -= 1) === 0) break;
    }
    out += values[name] ?? '';
  }
  return out;
}

/** What the records may call an interface: no blanks. */
const NAME = /^[A-Za-z0-9][A-Za-z0-9._/:-]{0,62}$/;

export function interfaceNames(rules: readonly Rule[]): InterfaceNames {
  const all = rules.map((rule) => ({ ...rule, pattern: compilePattern(rule.records), back: backwards(rule.device) }));
  const toDevice = (name: string): string => {
    for (const { pattern, device } of all) {
      const found = pattern.find(name);
      if (found) return device.replace(/\{(\w+)\}/g, (_, part: string) => found[part] ?? '');
    }
    return name;
  };
  return {
    toDevice,
    toRecords: (name) => {
      for (const { records, back } of all) {
        const found = back.find(name);
        const made = found && withValues(records, found);
        // A rule is believed where it leads back to where one came from.
        if (made !== undefined && toDevice(made) === name) return made;
      }
      return NAME.test(name) && toDevice(name) === name ? name : undefined;
    },
  };
}
