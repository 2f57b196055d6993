/** What is said of a dialect. */
/** What a rendered configuration will let the service in by. */
export interface WayIn {
  /** Interface names with the addresses that they will have. */
  addresses: { on: string; address: string }[];
  gateway: string | undefined;
  /** User names with the digest or text of their passwords. */
  users: { name: string; password: string; sealed: boolean }[];
  shell: boolean;
  callHome: string | undefined;
}

export interface DialectDescription {
  name: string;
  title: string;
  /** How its devices boot without a configuration. */
  boot: {
    /** How their vendor class (option 60) begins. */
    vendorClass: string;
    transport: 'tftp';
    /** The name of the first file, from the device's name. */
    fileName: (device: string) => string;
    /** Options that are told even when they were not asked for. */
    always: readonly number[];
  };
  shell: {
    port: number;
    /** A prompt, at the end of what was received. */
    prompt: RegExp;
    /** A reply that begins so says that a command was not taken. */
    refusal: RegExp;
    commands: { particulars: string; running: string; kept: string; keep: string };
    particulars: {
      model: RegExp;
      serial: RegExp;
      version: RegExp;
      /** A line a card: its slot, its model, its serial. */
      cards: RegExp;
    };
  };
  /** Beginnings of lines that make a family: of one family all lines are ours, or none. */
  heads: readonly string[];
  wayIn: (text: string) => WayIn;
  /** The name that the management interface has in a configuration, from its name in the records. */
  interfaceName: (name: string) => string;
}
