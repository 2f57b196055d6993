/** What a device tells of itself by SNMP: the system group (RFC 3418), to whoever knows its word. */
import snmp from 'net-snmp';

export interface GaugeOptions {
  address: string;
  port: number;
  word: string;
  told: { name: string; about: string; identity: string; since: number };
}

interface Agent {
  getAuthorizer: () => { addCommunity: (word: string) => void };
  getMib: () => { setScalarValue: (name: string, value: string | number) => void };
  registerProvider: (provider: object) => void;
  close: () => void;
}

export class Gauge {
  private readonly agent: Agent;

  constructor({ address, port, word, told }: GaugeOptions) {
    const create = snmp.createAgent as (options: object, done: (error: Error | null) => void) => Agent;
    // Whoever asks with another word gets no answer, as is usual.
    this.agent = create({ address, port, disableAuthorization: false }, () => undefined);
    this.agent.getAuthorizer().addCommunity(word);
    const { OctetString, OID, TimeTicks } = snmp.ObjectType;
    const system = '1.3.6.1.2.1.1';
    const scalars: [string, number, number, string | number][] = [
      ['sysDescr', 1, OctetString, told.about],
      ['sysObjectID', 2, OID, told.identity],
      ['sysUpTime', 3, TimeTicks, Math.floor((Date.now() - told.since) / 10)],
      ['sysName', 5, OctetString, told.name],
    ];
    for (const [name, at, scalarType, value] of scalars) {
      this.agent.registerProvider({
        name,
        type: snmp.MibProviderType.Scalar,
        oid: `${system}.${at}`,
        scalarType,
        maxAccess: 2,
      });
      this.agent.getMib().setScalarValue(name, value);
    }
  }

  close(): void {
    this.agent.close();
  }
}
