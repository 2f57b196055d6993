/** Whether the service would still get in, worked out before anything is sent. */
import type { Dialect, WayIn } from '@zpine/core/dialect/dialect';
import { lostWayIn } from '@zpine/core/fleet/wayIn';
import { fitsSha512crypt } from '@zpine/core/text/sha512crypt';
import type { Target } from '../../app/fleet/access.ts';
import { publicHalf } from '../../app/fleet/publicKey.ts';
import { sha512 } from '../../app/editions/content.ts';

/** What of the way in would be lost when a device runs otherwise than it does now, in words. */
export function lostTo(
  { address, access }: Target,
  dialect: Dialect,
  running: string,
  after: WayIn,
): string | undefined {
  const credentials = {
    user: access.user,
    password: access.password,
    publicKey: publicHalf(access.key, access.passphrase),
  };
  const lost = lostWayIn(dialect.wayIn(running), after, address, credentials, (password, sealed) =>
    fitsSha512crypt(password, sealed, sha512),
  );
  if (lost.length === 0) return undefined;
  return `the service would not get in any more: ${lost.map(({ detail }) => detail).join('; ')}`;
}

/** What is said of it where nobody insists. */
export const unlessInsisted = (lost: string): string => `${lost}; nothing is sent unless somebody insists`;
