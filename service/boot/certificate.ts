/** What HTTPS for booting devices is served with: a certificate that is given, or one of its own, made once and kept. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { generate } from 'selfsigned';

export interface CertificateOptions {
  /** Files in PEM; empty for one of its own. */
  certificate: string;
  key: string;
  /** Where its own is kept. */
  ownFile: string;
  address: string;
}

const YEARS = 10;

export async function certificateFor({
  certificate,
  key,
  ownFile,
  address,
}: CertificateOptions): Promise<{ cert: string; key: string }> {
  if (certificate !== '' || key !== '') {
    if (certificate === '' || key === '')
      throw new Error('ZPINE_BOOT_CERTIFICATE and ZPINE_BOOT_CERTIFICATE_KEY go together');
    return { cert: readFileSync(certificate, 'utf8'), key: readFileSync(key, 'utf8') };
  }
  if (!existsSync(ownFile)) {
    const made = await generate([{ name: 'commonName', value: address }], {
      keySize: 2048,
      algorithm: 'sha256',
      notAfterDate: new Date(Date.now() + YEARS * 365 * 86_400_000),
      extensions: [{ name: 'subjectAltName', altNames: [{ type: 7, ip: address }] }],
    });
    writeFileSync(ownFile, `${made.private}\n${made.cert}\n`, { mode: 0o600 });
  }
  const both = readFileSync(ownFile, 'utf8');
  return {
    cert: both.slice(both.indexOf('-----BEGIN CERTIFICATE')),
    key: both.slice(0, both.indexOf('-----BEGIN CERTIFICATE')),
  };
}
