/** Settings that tell options of DHCP: which, how they are written, and whether a value fits. */
import { faultIn, hasNames } from '@zpine/core/dhcp/fill';
import { codeNamed, encodeAs, type OptionType } from '@zpine/core/dhcp/options';
import { optionValueOf, readOptionAt, wireOf, type OwnOption, type Tell } from '@zpine/core/dhcp/ownOptions';
import { readValue, type LayerKind, type Mode, type SettingValue } from '@zpine/core/settings/layers';
import type { Fault } from '@zpine/core/fault';
import { Refusal, type ErrorCode } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

type Declared = Pick<Stored<'setting'>, 'name' | 'dhcpOption' | 'wire' | 'tell' | 'valueType'>;

/** The option that a setting tells; undefined where it tells none. */
export function ownOptionOf(setting: Declared): OwnOption | undefined {
  if (setting.dhcpOption === null) return undefined;
  const at = readOptionAt(setting.dhcpOption);
  if (!at.ok) return undefined;
  const wire = wireOf(at.value, setting.valueType as OwnType, setting.wire as OptionType | null);
  return wire && { name: setting.name, at: at.value, wire, tell: setting.tell as Tell };
}
type OwnType = Parameters<typeof wireOf>[1];

/** Settings that say how options are told. */
export const TELLING = ['dhcp.unasked', 'dhcp.withheld'] as const;
const tellsHow = (name: string): boolean => (TELLING as readonly string[]).includes(name);

/** What a prefix or a boot profile says holds for DHCP, and nothing else asks for it. */
export function refuseForeignLayer(setting: Declared, layer: LayerKind): void {
  if ((layer === 'prefix' || layer === 'bootprofile') && setting.dhcpOption === null && !tellsHow(setting.name))
    throw Refusal.at(['layer'], 'layer-of-options', { layer, setting: setting.name });
}

/** Like `readValue`, but that what is told by DHCP may have names in it: `@{device.name}`. */
export function readOwnValue(
  setting: Declared,
  mode: Mode,
  value: unknown,
): { ok: true; value: SettingValue } | { ok: false; fault: Fault<ErrorCode> } {
  const type = setting.valueType as OwnType;
  const option = ownOptionOf(setting);
  const meant = value as SettingValue;
  const named = option !== undefined && mode !== 'take-away' && hasNames(meant);
  if (!named) {
    const read = readValue(type, mode, value);
    if (!read.ok || !option || mode === 'take-away') return read;
    const fault = unfit(option, read.value);
    return fault ? { ok: false, fault } : read;
  }
  const texts = Array.isArray(meant) ? meant.map(String) : [String(meant)];
  const first = texts.flatMap((text) => faultIn(text) ?? [])[0];
  if (first !== undefined) return { ok: false, fault: { code: 'option-names', params: { first } } };
  return readValue(type.startsWith('list-') ? 'list-of-text' : 'text', mode, value);
}

/** What is wrong with a value as its option has it. */
function unfit(option: OwnOption, value: SettingValue): Fault<ErrorCode> | undefined {
  if (value === null || hasNames(value) || (Array.isArray(value) && value.length === 0)) return undefined;
  const bytes = encodeAs(option.wire, optionValueOf(option.wire, value));
  if (!bytes.ok)
    return {
      code: 'option-value',
      params: {
        option: option.name,
        value: JSON.stringify(value).slice(0, 80),
        expected: String(bytes.fault.params.expected ?? option.wire),
      },
    };
  if (option.at.sub !== undefined && bytes.value.length > 255)
    return { code: 'option-long', params: { option: option.name, length: bytes.value.length } };
  return undefined;
}

const TAKEN_FOR_GRANTED = [1, 51, 53, 54, 61, 82];

/** Options that are named in a list: by number, by the name of a registered one, or by the setting that tells it. */
export async function optionsNamed(
  tx: Tx,
  words: readonly string[],
): Promise<{ word: string; code: number | undefined }[]> {
  const own = (await allOf(tx, 'setting')).flatMap((setting) => ownOptionOf(setting) ?? []);
  return words.map((word) => {
    const number = /^[0-9]{1,3}$/.test(word) ? Number(word) : undefined;
    const code = number ?? codeNamed(word) ?? own.find(({ name }) => name === word)?.at.code;
    return { word, code: code !== undefined && code >= 1 && code <= 254 ? code : undefined };
  });
}

/** `dhcp.unasked` and `dhcp.withheld` name options that there are. */
export async function refuseUnknownOptions(tx: Tx, value: SettingValue, withheld: boolean): Promise<void> {
  const words = Array.isArray(value) ? value.map(String) : [];
  for (const [i, { word, code }] of (await optionsNamed(tx, words)).entries()) {
    if (code === undefined) throw Refusal.at(['value', i], 'option-unknown', { value: word });
    if (withheld && TAKEN_FOR_GRANTED.includes(code)) throw Refusal.at(['value', i], 'option-must', { value: word });
  }
}
