/** Sends DISCOVERs of random hardware addresses through a relay, so many a second, until it is ended. */
import { createSocket } from 'node:dgram';
import { setTimeout as pause } from 'node:timers/promises';
import { encodeMessage } from '@zpine/core/dhcp/message';
import { mustParse } from '@zpine/core/fault';

const [relay = '', relayAddress = '', relayPort = '', server = '', serverPort = '', perSecond = '0'] =
  process.argv.slice(2);

const bytes = mustParse(
  encodeMessage({
    op: 'request',
    hardwareType: 1,
    hops: 1,
    xid: 1,
    secs: 0,
    broadcast: false,
    clientAddress: '0.0.0.0',
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: relay,
    hardwareAddress: '02:67:00:00:00:00',
    serverName: '',
    file: '',
    options: new Map([[53, Uint8Array.of(1)]]),
  }),
);
const socket = createSocket('udp4');
await new Promise<void>((done) => socket.bind(Number(relayPort), relayAddress, () => done()));
process.send?.('ready');
for (let sent = 0, from = Date.now(); ; await pause(2))
  for (const due = ((Date.now() - from) / 1000) * Number(perSecond); sent < due; sent += 1) {
    // The last four bytes of the hardware address, which stands from byte 28 on.
    bytes.set([(sent >>> 24) & 255, (sent >>> 16) & 255, (sent >>> 8) & 255, sent & 255], 30);
    socket.send(Uint8Array.from(bytes), Number(serverPort), server);
  }
