/** What answers the calls of this area. */
import { mustFind } from '../records/refs.ts';
import { listEditions, makeEdition, publishEdition, showEdition, tryTemplate } from './editions.ts';
import { templateNames } from './names.ts';
import { faultsOf, presentFault } from './templates.ts';
import { refOf, type VerbHandlers } from '../handler.ts';

export const editionsHandlers = {
  'template.check': async (tx, call) => ({
    faults: (await faultsOf(tx, await mustFind(tx, 'template', refOf(call)))).map(presentFault),
  }),
  'template.try': (tx, { body }) => tryTemplate(tx, body),
  'device.names': (tx, call) => templateNames(tx, refOf(call)),
  'edition.list': (tx, call) => listEditions(tx, refOf(call)),
  'edition.make': (tx, call) => makeEdition(tx, refOf(call), call.body),
  'edition.show': (tx, call) => showEdition(tx, refOf(call), call.params.number ?? '', call.query.trace === 'true'),
  'edition.publish': (tx, call) => publishEdition(tx, refOf(call), call.params.number ?? '', call.body),
} satisfies Partial<VerbHandlers>;
