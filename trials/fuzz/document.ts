/** What is read of the OpenAPI document: the operations, with what they take. */

/** A JSON Schema as the document has them; what is not named here is not looked at. */
export interface Schema {
  type?: string | string[];
  enum?: unknown[];
  const?: unknown;
  anyOf?: Schema[];
  oneOf?: Schema[];
  allOf?: Schema[];
  properties?: Record<string, Schema>;
  additionalProperties?: Schema | boolean;
  required?: string[];
  items?: Schema;
}

export interface Operation {
  id: string;
  method: string;
  /** With `{name}` in it. */
  path: string;
  parameters: { name: string; in: 'path' | 'query' | 'header'; schema: Schema }[];
  body?: Schema;
}

interface Document {
  paths: Record<
    string,
    Record<
      string,
      {
        operationId: string;
        parameters?: Operation['parameters'];
        requestBody?: { content: Record<string, { schema: Schema }> };
      }
    >
  >;
}

export function operationsOf(document: unknown): Operation[] {
  return Object.entries((document as Document).paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, { operationId, parameters, requestBody }]): Operation => {
      const body = requestBody?.content['application/json']?.schema;
      return {
        id: operationId,
        method: method.toUpperCase(),
        path,
        parameters: parameters ?? [],
        ...(body ? { body } : {}),
      };
    }),
  );
}
