/** The public half of the key that the service signs in with. */
import ssh2 from 'ssh2';
import { textSetting, type SettingsInForce } from '@zpine/core/settings/read';

/** As OpenSSH writes it, without a comment; undefined where there is none, or it cannot be read. */
export function publicHalf(key: string | undefined, passphrase: string | undefined): string | undefined {
  if (key === undefined) return undefined;
  const read = ssh2.utils.parseKey(key, passphrase);
  return read instanceof Error ? undefined : `${read.type} ${read.getPublicSSH().toString('base64')}`;
}

export const publicKeyOf = (settings: SettingsInForce): string | undefined =>
  publicHalf(textSetting(settings, 'access.key'), textSetting(settings, 'access.passphrase'));

/** Whether a text is a public key, as OpenSSH writes it. */
export const isPublicKey = (text: string): boolean => {
  const read = /^(ssh|ecdsa|sk)-\S+ [A-Za-z0-9+/]+=*( .*)?$/.test(text) ? ssh2.utils.parseKey(text) : undefined;
  return read !== undefined && !(read instanceof Error) && !read.isPrivateKey();
};
