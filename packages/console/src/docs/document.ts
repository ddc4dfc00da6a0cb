/** The parts of an OpenAPI 3.1 document that the page shows. */

/** JSON Schema, draft 2020-12, as far as shapes are written in it. */
export interface Shape {
  readonly type?: string | readonly string[];
  readonly description?: string;
  readonly properties?: { readonly [name: string]: Shape };
  readonly required?: readonly string[];
  readonly additionalProperties?: Shape | boolean;
  readonly items?: Shape;
  readonly oneOf?: readonly Shape[];
  readonly anyOf?: readonly Shape[];
  readonly allOf?: readonly Shape[];
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly default?: unknown;
  readonly format?: string;
  readonly pattern?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly minItems?: number;
  readonly maxItems?: number;
}

export interface Parameter {
  readonly name: string;
  readonly in: 'path' | 'query' | 'header';
  readonly required: boolean;
  readonly description?: string;
  readonly schema: Shape;
}

interface Content {
  readonly [media: string]: { readonly schema: Shape };
}

interface Operation {
  readonly operationId: string;
  readonly summary: string;
  readonly description?: string;
  readonly tags?: readonly string[];
  readonly parameters?: readonly Parameter[];
  readonly requestBody?: { readonly content: Content };
  readonly responses: { readonly [status: string]: { readonly description: string; readonly content?: Content } };
}

export interface OpenApiDocument {
  readonly info: { readonly version: string; readonly description: string };
  readonly tags?: readonly { readonly name: string }[];
  readonly paths: { readonly [path: string]: { readonly [method: string]: Operation } };
}

/** One call of the service. */
export interface Call {
  readonly id: string;
  readonly method: string;
  readonly path: string;
  readonly group: string;
  readonly summary: string;
  /** Who may make it, in words. */
  readonly callers: string;
  readonly parameters: readonly Parameter[];
  readonly body: Shape | undefined;
  readonly status: string;
  /** What the answer is: `application/json`, or a stream. */
  readonly media: string;
  readonly answer: Shape | undefined;
  /** Codes of problems of its own. */
  readonly problems: readonly string[];
}

/** The calls that a document describes, in its order. */
export function callsIn(document: OpenApiDocument): readonly Call[] {
  return Object.entries(document.paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, operation]) => callOf(path, method, operation)),
  );
}

function callOf(path: string, method: string, operation: Operation): Call {
  const { operationId: id, summary, description = '', tags = [], parameters = [], requestBody, responses } = operation;
  const [status = '', response] = Object.entries(responses).find(([one]) => one !== 'default') ?? [];
  const [media = '', answer] = Object.entries(response?.content ?? {})[0] ?? [];
  return {
    id,
    method: method.toUpperCase(),
    path,
    group: tags[0] ?? '',
    summary,
    callers: description,
    parameters,
    body: Object.values(requestBody?.content ?? {})[0]?.schema,
    status,
    media,
    answer: answer?.schema,
    problems: responses['default']?.description.match(/\b[a-z]+(-[a-z]+)+\b/g) ?? [],
  };
}

/** The calls in which every word of what is looked for stands. */
export function callsWith(calls: readonly Call[], looked: string): readonly Call[] {
  const words = looked.toLowerCase().split(/\s+/).filter(Boolean);
  return calls.filter(({ method, path, summary, id, group }) => {
    const text = `${method} ${path} ${summary} ${id} ${group}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
}
