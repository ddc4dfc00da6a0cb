import { z } from 'zod';
import { routes, type Route } from './routes.js';
import { callersInWords, groupOf } from './routes/route-words.js';
import { roles } from './roles-and-scopes.js';

/** The OpenAPI 3.1 document, made from the shapes that check the requests. */
export function openApiDocument(version: string): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const [name, route] of Object.entries<Route>(routes)) {
    (paths[route.path] ??= {})[route.method] = operation(name, route);
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Vekkon',
      version,
      description: 'Keeps what each player must find again the next time they play.',
      license: { name: 'MIT', identifier: 'MIT' },
    },
    paths,
    components: {
      securitySchemes: {
        bearer: {
          type: 'http',
          scheme: 'bearer',
          description: "A host key, a device key, a device's token, or an operator's token.",
        },
      },
      schemas: { Problem: problemSchema },
    },
  };
}

const problemSchema = {
  type: 'object',
  description: 'Problem details (RFC 9457). Every code is listed at /problems.',
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string', description: 'What is wrong, and what to do next.' },
    code: { type: 'string' },
    requestId: { type: 'string' },
  },
  required: ['type', 'title', 'status', 'detail', 'code', 'requestId'],
};

function operation(name: string, route: Route): object {
  const inPath = Object.entries(route.params ?? {}).map(([parameter, shape]) => ({
    name: parameter,
    in: 'path',
    required: true,
    schema: schemaOf(shape, 'input'),
  }));
  const inQuery = Object.entries(route.query?.shape ?? {}).map(([parameter, shape]) => ({
    name: parameter,
    in: 'query',
    required: false,
    schema: schemaOf(shape as z.ZodType, 'input'),
  }));
  return {
    operationId: name,
    summary: route.summary,
    description: callersInWords(route),
    tags: [groupOf(route)],
    ...(!route.callers.includes('anybody') && { security: [{ bearer: [] }] }),
    parameters: [...inPath, ...inQuery, ...inHeaders(route)],
    ...(route.body && {
      requestBody: {
        required: true,
        content: { 'application/json': { schema: schemaOf(route.documentedBody ?? route.body, 'input') } },
      },
    }),
    responses: {
      [route.status]: {
        description: route.summary,
        content: { [route.media ?? 'application/json']: { schema: schemaOf(route.response, 'output') } },
      },
      default: {
        description: ['Problem details.', ...route.problems].join(' '),
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    },
  };
}

function inHeaders({ headers = [], callers }: Route): readonly object[] {
  const own = headers.map(({ name, description, isNeeded = false }) => ({
    name,
    in: 'header',
    description,
    required: isNeeded,
    schema: { type: 'string' },
  }));
  if (!callers.some((caller) => (roles as readonly string[]).includes(caller))) return own;
  const named = {
    name: 'Vekkon-Environment',
    in: 'header',
    description: 'For operators: which environment, as GAME/ENVIRONMENT; may be left out where there is only one.',
    required: false,
    schema: { type: 'string' },
  };
  return [...own, named];
}

function schemaOf(shape: z.ZodType, io: 'input' | 'output'): object {
  const { $schema: _, ...schema } = z.toJSONSchema(shape, { io, unrepresentable: 'any' });
  return schema;
}
