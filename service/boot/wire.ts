/**
 * A socket that hears the broadcasts of one wire alone. A socket on all addresses hears those of every interface of the
 * machine, and cannot tell them apart: the kernel is asked for one (socket(7), SO_BINDTODEVICE), which Node has no word for.
 */
import { createSocket, type Socket } from 'node:dgram';
import { networkInterfaces } from 'node:os';
import { ipv4Number, maskOf } from '@zpine/core/dhcp/ipv4';

const AF_INET = 2;
const SOCK_DGRAM = 2;
const SOCK_CLOEXEC = 0o2000000;
const SOL_SOCKET = 1;
const SO_REUSEADDR = 2;
const SO_BROADCAST = 6;
const SO_BINDTODEVICE = 25;

/** The interface that an address is on, or in whose network it lies; undefined where there is none. */
export function interfaceOf(address: string, all = networkInterfaces()): string | undefined {
  const value = ipv4Number(address) ?? 0;
  const near = Object.entries(all).flatMap(([name, own]) =>
    (own ?? []).flatMap(({ family, address: on, cidr }) => {
      if (family !== 'IPv4') return [];
      const length = Number(cidr?.split('/')[1] ?? 32);
      const mask = ipv4Number(maskOf(length)) ?? 0;
      const isNear = (value & mask) >>> 0 === ((ipv4Number(on) ?? 0) & mask) >>> 0;
      return on === address ? [{ name, length: 33 }] : isNear ? [{ name, length }] : [];
    }),
  );
  return near.sort((a, b) => b.length - a.length)[0]?.name;
}

/** On a port of all addresses, of that interface alone. Throws with the name of the call that failed. */
export async function boundToWire(name: string, port: number): Promise<Socket> {
  // Only who answers broadcasts needs it: the library is native.
  const { default: koffi } = await import('koffi');
  const libc = koffi.load('libc.so.6');
  const socket = libc.func('int socket(int domain, int type, int protocol)') as Call;
  const setsockopt = libc.func('int setsockopt(int fd, int level, int name, const void *value, uint32_t size)') as Call;
  const bind = libc.func('int bind(int fd, const void *address, uint32_t size)') as Call;
  const close = libc.func('int close(int fd)') as Call;
  const fd = socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0);
  if (fd < 0) throw new Error('socket failed');
  const on = Buffer.from(Int32Array.of(1).buffer);
  const device = Buffer.from(`${name}\0`);
  const failed = [
    ['SO_REUSEADDR', setsockopt(fd, SOL_SOCKET, SO_REUSEADDR, on, on.length)],
    ['SO_BROADCAST', setsockopt(fd, SOL_SOCKET, SO_BROADCAST, on, on.length)],
    [`SO_BINDTODEVICE ${name}`, setsockopt(fd, SOL_SOCKET, SO_BINDTODEVICE, device, device.length)],
    [`bind to port ${port}`, bind(fd, anyAddress(port), 16)],
  ].find(([, result]) => result !== 0);
  if (failed) {
    close(fd);
    throw new Error(`${String(failed[0])} failed on interface ${name}`);
  }
  const made = createSocket('udp4');
  await new Promise<void>((resolve, reject) => {
    made.once('error', reject);
    made.bind({ fd }, () => {
      made.off('error', reject);
      resolve();
    });
  });
  return made;
}

type Call = (...args: (number | string | Buffer)[]) => number;

/** struct sockaddr_in: family in the machine's order, port and address in that of the network. */
function anyAddress(port: number): Buffer {
  const address = Buffer.alloc(16);
  address.set(new Uint8Array(Uint16Array.of(AF_INET).buffer), 0);
  address.writeUInt16BE(port, 2);
  return address;
}
