/** What can be done with boot profiles beside keeping them. */
import type { Command } from 'commander';
import { clientOf, outputOf } from './context.ts';
import { out } from './print.ts';

export function addProfileVerbs(noun: Command): void {
  noun
    .command('clients')
    .description('which devices boot by it, and what of it they would not follow')
    .argument('<bootprofile>')
    .action(async (ref: string, _options: object, command: Command) => {
      const found = await clientOf().call('bootprofile.clients', { params: { ref } });
      if (outputOf(command).json) return out(JSON.stringify(found, null, 2));
      const { count, devices, instead, lints } = found;
      const more = count > devices.length ? `, and ${count - devices.length} more` : '';
      out(count === 0 ? 'no device boots by it' : `${count} boot by it: ${devices.join(', ')}${more}`);
      for (const one of instead) out(`${one.count} could, and boot by ${one.profile}`);
      for (const { detail, remedy } of lints) out(`${detail}\n  ${remedy}`);
    });
}
