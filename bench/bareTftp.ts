/** A bare send loop: one file of so many bytes to whoever asks, a block for each acknowledgement, and nothing else. */
import { createSocket } from 'node:dgram';

const [address = '', port = '', bytes = '0', blockSize = '1428'] = process.argv.slice(2);
const size = Number(blockSize);
const file = Buffer.alloc(Number(bytes), 'pine ');
const agreed = Buffer.from(`\0\u0006blksize\0${size}\0`, 'latin1');

const socket = createSocket('udp4');
socket.on('message', (_request, { address: to, port: at }) => {
  const own = createSocket('udp4');
  own.on('message', (ack) => {
    const acknowledged = ack.readUInt16BE(2);
    const from = acknowledged * size;
    if (ack.readUInt16BE(0) !== 4 || from > file.length) return own.close();
    const block = acknowledged + 1;
    own.send([Uint8Array.of(0, 3, block >> 8, block & 255), file.subarray(from, from + size)], at, to);
  });
  own.bind(0, address, () => own.send(agreed, at, to));
});
socket.bind(Number(port), address, () => process.send?.('ready'));
process.on('disconnect', () => process.exit(0));
