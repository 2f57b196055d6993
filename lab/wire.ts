/** Where the lab's sockets are: addresses of the scenario are moved to loopback, as the service's dial map does. */
import { dial, type DialRow, type Endpoint } from '@zpine/core/addressing/dial';

const VRF = 'default';

export class Wire {
  private readonly rows: readonly DialRow[];
  constructor(rows: readonly DialRow[]) {
    this.rows = rows;
  }
  to(address: string, port: number): Endpoint {
    return dial(this.rows, VRF, { address, port });
  }
  /** Only the address, for sockets that take any port. */
  at(address: string): string {
    return this.to(address, 0).address;
  }
}
