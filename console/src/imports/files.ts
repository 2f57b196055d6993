/** Files as they are dropped: read as text, or sent as they are when they are large. */

/** UTF-8, or what spreadsheets on some desks still write. */
export async function textOf(file: File): Promise<string> {
  const bytes = await file.arrayBuffer();
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

export function download(name: string, text: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** Larger files are sent as they are, and looked at in the background. */
export const LARGE_BYTES = 2 << 20;

export const sizeText = (bytes: number): string =>
  bytes < 1 << 20 ? `${Math.ceil(bytes / 1024)} KiB` : `${(bytes / (1 << 20)).toFixed(1)} MiB`;
