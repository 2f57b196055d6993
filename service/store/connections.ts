/** Connections that statements are sent on, whoever keeps them. */
export interface Connection {
  query: (sql: string, values?: unknown[]) => Promise<unknown>;
}

/** Where connections come from, and go back to. */
export interface Connections {
  take: () => Promise<Connection>;
  giveBack: (connection: Connection) => void;
  /** Of a connection nobody may use any more: what it holds is unknown. */
  discard: (connection: Connection) => Promise<void>;
}
