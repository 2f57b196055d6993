import { expect } from 'chai';
import { knownHosts, sshConfig } from './sshFiles.ts';

const entry = {
  name: 'har-acc-7',
  aliases: [],
  hostName: '10.77.0.41',
  user: 'netops',
  port: 22,
  jump: undefined,
  algorithms: [],
};

describe('files for SSH clients', () => {
  it('have what differs from the usual, and no more', () => {
    expect(sshConfig([entry])).to.equal('Host har-acc-7\n  HostName 10.77.0.41\n  User netops\n');
    expect(
      sshConfig([
        {
          ...entry,
          aliases: ['har-acc-7.brackwater.example'],
          port: 2222,
          jump: 'har-wb-7',
          algorithms: ['diffie-hellman-group14-sha1', 'ssh-rsa', 'aes128-cbc', 'hmac-sha1'],
        },
      ]),
    ).to.equal(
      [
        'Host har-acc-7 har-acc-7.brackwater.example',
        '  HostName 10.77.0.41',
        '  User netops',
        '  Port 2222',
        '  ProxyJump har-wb-7',
        '  KexAlgorithms +diffie-hellman-group14-sha1',
        '  HostKeyAlgorithms +ssh-rsa',
        '  Ciphers +aes128-cbc',
        '  MACs +hmac-sha1',
        '',
      ].join('\n'),
    );
    expect(sshConfig([entry, { ...entry, name: 'har-acc-8' }])).to.contain('\n\nHost har-acc-8');
  });

  it('name a host and its address before its key, with the port where it is another', () => {
    const host = { names: ['har-acc-7', '10.77.0.41'], port: 22, algorithm: 'ssh-ed25519', key: 'AAAA' };
    expect(knownHosts([host])).to.equal('har-acc-7,10.77.0.41 ssh-ed25519 AAAA\n');
    expect(knownHosts([{ ...host, port: 2222 }])).to.equal('[har-acc-7]:2222,[10.77.0.41]:2222 ssh-ed25519 AAAA\n');
  });
});
