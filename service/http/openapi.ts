/** The OpenAPI 3.1 document, from the route list alone. */
import { z } from 'zod';
import { errors } from '@zpine/contract/errors';
import { pathNames } from '@zpine/contract/call';
import type { Route } from '@zpine/contract/route';
import { IMPACT_STREAM } from '@zpine/contract/impactShapes';
import { routes } from '@zpine/contract/routes';

const schemaOf = (schema: z.ZodType, io: 'input' | 'output'): object => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Record<string, unknown>;
  return rest;
};

function parametersOf(route: Route): object[] {
  const inPath = pathNames(route.path).map((name) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
    ...(name === 'ref' ? { description: 'A natural key, or # and an id; percent-encoded' } : {}),
  }));
  const shape = route.query?.shape ?? {};
  const inQuery = Object.entries(shape).map(([name, schema]) => ({
    name,
    in: 'query',
    required: false,
    schema: schemaOf(schema as z.ZodType, 'input'),
  }));
  const ofWrites = [
    { name: 'reason', in: 'query', required: false, schema: { type: 'string' }, description: 'Why, for the history' },
    {
      name: 'preview',
      in: 'query',
      required: false,
      schema: { type: 'string', enum: ['impact'] },
      description: `What it would do elsewhere instead of doing it: devices with other configurations or boot answers, in groups; as ${IMPACT_STREAM} piece by piece`,
    },
    {
      name: 'previewSeconds',
      in: 'query',
      required: false,
      schema: { type: 'integer', default: 60 },
      description: 'With preview: how long it may take; what was not reached by then is said',
    },
    { name: 'Idempotency-Key', in: 'header', required: false, schema: { type: 'string' } },
    ...(route.method === 'POST'
      ? []
      : [
          {
            name: 'If-Match',
            in: 'header',
            required: false,
            schema: { type: 'string' },
            description: 'The version that you have seen, in quotes',
          },
        ]),
  ];
  return [...inPath, ...inQuery, ...(route.method === 'GET' || route.unrecorded ? [] : ofWrites)];
}

function operationOf(id: string, route: Route): object {
  const status = String(route.status ?? 200);
  const media = route.media ?? 'application/json';
  return {
    operationId: id,
    summary: route.summary,
    tags: [route.group],
    description: route.role === 'anyone' ? 'Anyone may call it.' : `Needs the role ${route.role}.`,
    ...(route.role === 'anyone' ? { security: [] } : {}),
    parameters: parametersOf(route),
    ...(route.body
      ? { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(route.body, 'input') } } } }
      : {}),
    responses: {
      [status]: {
        description: 'Done',
        ...(route.reply ? { content: { [media]: { schema: schemaOf(route.reply, 'output') } } } : {}),
      },
      default: {
        description: 'Refused',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    },
  };
}

const fault = {
  type: 'object',
  properties: {
    pointer: { type: 'string' },
    code: { type: 'string' },
    detail: { type: 'string' },
    remedy: { type: 'string' },
    params: { type: 'object' },
  },
  required: ['pointer', 'code', 'detail', 'params'],
};

export function openApi(version: string): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const [id, route] of Object.entries(routes)) {
    (paths[`/api/v1${route.path}`] ??= {})[route.method.toLowerCase()] = operationOf(id, route);
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Zealous Pine', version, license: { name: 'Apache-2.0', identifier: 'Apache-2.0' } },
    security: [{ token: [] }, { session: [] }],
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'zpine_session' },
      },
      schemas: {
        Problem: {
          type: 'object',
          properties: {
            type: { type: 'string' },
            title: { type: 'string' },
            status: { type: 'integer' },
            code: { type: 'string', enum: Object.keys(errors) },
            detail: { type: 'string' },
            remedy: { type: 'string' },
            errors: { type: 'array', items: fault },
            more: { type: 'integer', description: 'How many faults there are beyond those in errors' },
          },
          required: ['type', 'title', 'status', 'code', 'detail'],
        },
      },
    },
  };
}
