/** SSH algorithms by the names of their RFCs: what is good today, and what may be permitted beside it by name. */
interface Table {
  good: string[];
  old: string[];
}

export const algorithmTable = {
  kex: {
    good: [
      'curve25519-sha256@libssh.org',
      'curve25519-sha256',
      'ecdh-sha2-nistp256',
      'ecdh-sha2-nistp384',
      'ecdh-sha2-nistp521',
      'diffie-hellman-group-exchange-sha256',
      'diffie-hellman-group14-sha256',
      'diffie-hellman-group16-sha512',
      'diffie-hellman-group18-sha512',
    ],
    old: ['diffie-hellman-group14-sha1', 'diffie-hellman-group-exchange-sha1', 'diffie-hellman-group1-sha1'],
  },
  serverHostKey: {
    good: [
      'ssh-ed25519',
      'ecdsa-sha2-nistp256',
      'ecdsa-sha2-nistp384',
      'ecdsa-sha2-nistp521',
      'rsa-sha2-512',
      'rsa-sha2-256',
    ],
    old: ['ssh-rsa', 'ssh-dss'],
  },
  cipher: {
    good: ['aes128-gcm@openssh.com', 'aes256-gcm@openssh.com', 'aes128-ctr', 'aes192-ctr', 'aes256-ctr'],
    old: ['aes256-cbc', 'aes192-cbc', 'aes128-cbc', '3des-cbc'],
  },
  hmac: {
    good: ['hmac-sha2-256-etm@openssh.com', 'hmac-sha2-512-etm@openssh.com', 'hmac-sha2-256', 'hmac-sha2-512'],
    old: ['hmac-sha1-etm@openssh.com', 'hmac-sha1', 'hmac-md5'],
  },
} as const satisfies Record<string, Table>;
