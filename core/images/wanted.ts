/** Which image a device should run: of those that are named for it, the one that is meant for what it is. */

/** What an image is for: all models of its dialect where it names none. */
export interface ForModels {
  key: string;
  dialect: number;
  model: number | null;
}

/** One for its model goes before one for the whole dialect; of two alike the one that is named first. */
export function wantedAmong<T extends ForModels>(
  names: readonly string[],
  images: readonly T[],
  device: { dialect: number | null; model: number | null },
): T | undefined {
  const fitting = names
    .flatMap((name) => images.filter(({ key }) => key === name.toLowerCase()))
    .filter(({ dialect, model }) => dialect === device.dialect && (model === null || model === device.model));
  return fitting.find(({ model }) => model !== null) ?? fitting[0];
}

/** A digest as people paste it: in hexadecimal, of 256 or 512 bits, with its name before it or a file name behind it. */
export function readDigest(text: string): { algorithm: 'sha256' | 'sha512'; hex: string } | undefined {
  const [, hex] = /^(?:sha-?(?:256|512)[:=\s]+)?([0-9a-f]{128}|[0-9a-f]{64})(?:\s+\*?\S+)?$/i.exec(text.trim()) ?? [];
  if (hex === undefined) return undefined;
  return { algorithm: hex.length === 64 ? 'sha256' : 'sha512', hex: hex.toLowerCase() };
}
