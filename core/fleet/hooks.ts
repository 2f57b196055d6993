/** Messages to other systems by HTTP: their headers, and how they are signed (RFC 9421 and RFC 9530). */
/** `Authorization: Bearer x` as name and value; undefined where it is no header, or one that the message has itself. */
export function headerIn(text: string): [name: string, value: string] | undefined {
  const [, name, value] = /^([!#$%&'*+.^_`|~0-9A-Za-z-]{1,80}): *([\x21-\x7e][\x20-\x7e]*)$/.exec(text.trim()) ?? [];
  if (name === undefined || value === undefined) return undefined;
  const own = ['content-type', 'content-length', 'content-digest', 'signature', 'signature-input', 'host'];
  return own.includes(name.toLowerCase()) ? undefined : [name, value];
}

export interface ToSign {
  url: string;
  /** Seconds since 1970. */
  created: number;
  keyId: string;
  /** SHA-256 of the body, in base64. */
  digest: string;
}

const COVERED = '("@method" "@target-uri" "content-digest")';

/** The signature base of RFC 9421, section 2.5, and the headers that go with its HMAC. */
export function signature({ url, created, keyId, digest }: ToSign): {
  base: string;
  headers: (hmac: string) => Record<string, string>;
} {
  const contentDigest = `sha-256=:${digest}:`;
  const params = `${COVERED};created=${created};keyid="${keyId}";alg="hmac-sha256"`;
  const base = [
    '"@method": POST',
    `"@target-uri": ${url}`,
    `"content-digest": ${contentDigest}`,
    `"@signature-params": ${params}`,
  ].join('\n');
  return {
    base,
    headers: (hmac) => ({
      'Content-Digest': contentDigest,
      'Signature-Input': `sig=${params}`,
      Signature: `sig=:${hmac}:`,
    }),
  };
}
