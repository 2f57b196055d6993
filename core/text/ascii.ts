/** Whether a text has no letter beyond ASCII, as all keys of records have none. */
export const isAscii = (text: string): boolean => /^[\x00-\x7f]*$/.test(text);
