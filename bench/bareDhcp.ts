/** A responder that decodes, decides and answers with the product's own engines, and stores nothing: how fast it could be at best. */
import { createSocket } from 'node:dgram';
import { decodeMessage, encodeMessage, typeOfMessage } from '@zpine/core/dhcp/message';
import { codeOf } from '@zpine/core/dhcp/options';
import { buildReply, type Told } from '@zpine/core/dhcp/reply';

const [address = '', port = '', relayAddress = '', relayPort = '', count = '0'] = process.argv.slice(2);

const told = new Map<string, Told>();
for (let i = 0; i < Number(count); i += 1) {
  const host = 256 + i;
  told.set(`02:66:00:00:${hex(i >> 8)}:${hex(i & 255)}`, {
    address: `10.78.${host >> 8}.${host & 255}`,
    addressFrom: 'here',
    leaseSeconds: 3600,
    leaseFrom: 'here',
    serverAddress: '10.77.0.10',
    options: [
      { code: codeOf('subnet-mask'), value: '255.255.0.0', from: 'here', always: true },
      { code: codeOf('routers'), value: ['10.78.0.1'], from: 'here', always: true },
      { code: codeOf('host-name'), value: `load-${i}`, from: 'here' },
    ],
  });
}

function hex(value: number): string {
  return value.toString(16).padStart(2, '0');
}

const socket = createSocket('udp4');
socket.on('message', (bytes) => {
  const message = decodeMessage(bytes);
  if (!message.ok) return;
  const type = typeOfMessage(message.value);
  const whom = told.get(message.value.hardwareAddress);
  if (!type.ok || !whom) return;
  const reply = buildReply(message.value, type.value === 'DISCOVER' ? 'OFFER' : 'ACK', whom);
  if (!reply.ok) return;
  const out = encodeMessage(reply.value.message);
  if (out.ok) socket.send(out.value, Number(relayPort), relayAddress);
});
socket.bind(Number(port), address, () => process.send?.('ready'));
