/** What answers the calls of this area. */
import type { VerbHandlers } from '../handler.ts';
import { profileClients } from './clients.ts';
import { dhcpData } from './data.ts';
import { endLease, listLeases, listPools } from './leaseList.ts';

export const leaseHandlers = {
  'lease.list': (tx, { query }) => listLeases(tx, query),
  'lease.pools': (tx, { query }) => listPools(tx, query),
  'bootprofile.clients': (tx, { params }) => profileClients(tx, params.ref ?? ''),
  'dhcp.data': (tx, { query }) => dhcpData(tx, query),
  'lease.end': (tx, { body }) => endLease(tx, body),
} satisfies Partial<VerbHandlers>;
