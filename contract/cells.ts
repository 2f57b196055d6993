/** Cells of tables that leave the product. */
/** Spreadsheets run cells that begin like this; a tick before them makes them text again. */
export const neutral = (text: string): string =>
  /^[=+@\t\r]|^-(?![0-9.]+$)|^'+[=+@\t\r-]/.test(text) ? `'${text}` : text;
