import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';

/** Where a record's page is. */
export const pathOf = (kind: string, key: string): string => `/${kindOf(kind).path}/${encodeURIComponent(key)}`;
export const listPath = (kind: string): string => `/${kindOf(kind).path}`;
export const kindAt = (path: string): KindName | undefined => kindNames.find((name) => kindOf(name).path === path);
