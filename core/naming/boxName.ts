/** What people call a box: its serial; of one whose serial nobody knows, its hardware address. */
export const boxName = ({ serial, mac }: { serial: string | null; mac: string | null }): string =>
  serial ?? mac ?? 'without a name';
