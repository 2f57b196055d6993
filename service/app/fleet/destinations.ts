/** Where messages to other systems may go. */
import { parseIp } from '@zpine/core/addressing/ip';
import { contains, parsePrefix } from '@zpine/core/addressing/prefix';

/** Whether a destination is on the list: `chat.brackwater.example`, `chat.brackwater.example:8443`, or a prefix for addresses. */
export function mayGoTo(url: URL, list: readonly string[]): boolean {
  const host = url.hostname.replace(/^\[(.*)\]$/, '$1').toLowerCase();
  const ip = parseIp(host);
  return list.some((one) => {
    const said = one.trim().toLowerCase();
    if (said === host || said === url.host.toLowerCase()) return true;
    const prefix = ip.ok ? parsePrefix(said) : undefined;
    return ip.ok && prefix?.ok === true && contains(prefix.value, ip.value);
  });
}

/** A URL for messages: http or https, without a user in it. */
export function hookUrl(text: string): URL | undefined {
  try {
    const url = new URL(text);
    return (url.protocol === 'http:' || url.protocol === 'https:') && url.username === '' && url.password === ''
      ? url
      : undefined;
  } catch {
    return undefined;
  }
}

/** As it is shown: what stands behind the question mark may be a secret. */
export const shownUrl = (text: string): string => {
  const url = hookUrl(text);
  return url ? `${url.origin}${url.pathname}${url.search === '' ? '' : '?…'}` : text;
};
