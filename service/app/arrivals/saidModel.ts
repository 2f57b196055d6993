/** Which model a booting client says that it is. */
import type { Stored } from '@zpine/contract/kinds';

/** The model that a vendor class names; of several that it could be, the one with the longest name. */
export function saidModel(models: readonly Stored<'model'>[], vendorClass: string | null): Stored<'model'> | undefined {
  const says = ` ${vendorClass?.toLowerCase() ?? ''} `;
  return models
    .filter(({ name }) => new RegExp(`[^a-z0-9]${escaped(name.toLowerCase())}[^a-z0-9]`).test(says))
    .sort((a, b) => b.name.length - a.name.length)[0];
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
