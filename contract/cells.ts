/** Cells of tables that leave the product, and come back. */

const number = /^[+-]?[0-9]+(\.[0-9]+)?$/;

/** Spreadsheets run cells that begin like this; a tick before them makes them text again. */
export const neutral = (text: string): string => (/^'*[=+@\t\r-]/.test(text) && !number.test(text) ? `'${text}` : text);

/** Takes away the one tick that stands before what a spreadsheet would run. */
export const untick = (cell: string): string => (/^'+[=+@\t\r-]/.test(cell) ? cell.slice(1) : cell);
