/** A thousand simulated devices in a process of their own: `fleetLab FOLDER COUNT DIAL-ROW`. */
import { keptOf } from '@zpine/lab/kept';
import { Lab } from '@zpine/lab/lab';

const [folder = '', count = '0', row = ''] = process.argv.slice(2);
const lab = new Lab({ dialMap: [row], server: '10.77.0.10', paceMs: 0, devices: [] }, folder);
for (let n = 0; n < Number(count); n += 1) {
  const name = `bench-${n}`;
  const address = `10.77.${100 + Math.floor(n / 200)}.${10 + (n % 200)}`;
  lab.add({
    name,
    model: 'TW-8',
    serial: `TW8-${n}`,
    mac: `02:00:01:00:${(n >> 8).toString(16).padStart(2, '0')}:${(n & 255).toString(16).padStart(2, '0')}`,
    kept: keptOf.shale({
      name,
      address: `${address}/24`,
      gateway: '10.77.100.1',
      user: 'netops',
      password: 'a-thousand-ferries',
      timeServers: ['10.77.0.5'],
      ports: 24,
    }),
  });
  lab.device(name).on();
}
setTimeout(() => process.send?.('ready'), 3000);
process.on('disconnect', () => process.exit(0));
