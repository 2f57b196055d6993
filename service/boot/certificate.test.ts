import { X509Certificate, createPrivateKey } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { certificateFor } from './certificate.ts';

describe('the certificate for booting devices', function () {
  this.timeout(20_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-certificate-'));
  after(() => rmSync(folder, { recursive: true, force: true }));
  const ownFile = join(folder, 'own.pem');
  const none = { certificate: '', key: '', ownFile, address: '10.77.0.10' };

  it('is one of its own where none is given: for its address, made once, and for nobody else to read', async () => {
    const { cert, key } = await certificateFor(none);
    const read = new X509Certificate(cert);
    expect(read.subjectAltName).to.equal('IP Address:10.77.0.10');
    expect(read.checkPrivateKey(createPrivateKey(key))).to.equal(true);
    expect(statSync(ownFile).mode & 0o777).to.equal(0o600);
    expect((await certificateFor(none)).cert).to.equal(cert);
  });

  it('is the one that is given, with its key, and never half of that', async () => {
    const { cert, key } = await certificateFor(none);
    const [certificate, keyPath] = [join(folder, 'given.pem'), join(folder, 'given.key')];
    writeFileSync(certificate, cert);
    writeFileSync(keyPath, key);
    const given = await certificateFor({ ...none, certificate, key: keyPath });
    expect(given).to.deep.equal({ cert: readFileSync(certificate, 'utf8'), key: readFileSync(keyPath, 'utf8') });
    const half = await certificateFor({ ...none, certificate }).catch((error: unknown) => String(error));
    expect(half).to.contain('ZPINE_BOOT_CERTIFICATE_KEY');
  });
});
