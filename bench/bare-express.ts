/** The yardstick: a bare Express 5 app whose routes parse JSON and return what they were given to return. */
import express from 'express';

const answers = new Map<string, unknown>();
const app = express();
app.use(express.json({ limit: '8mb' }));
app.post('/v1/sessions/:session/saves', (_request, response) => void response.json(answers.get('save')));
app.post('/v1/saves', (_request, response) => void response.json(answers.get('bulk')));
app.post('/v1/players/:player/join', (_request, response) => void response.json(answers.get('join')));
app.get('/v1/players/:player/records/*key', (_request, response) => void response.json(answers.get('record')));
app.get('/v1/tuning', (_request, response) => void response.set('ETag', '"bare"').status(304).end());
const server = app.listen(0, '127.0.0.1', () => {
  const address = server.address();
  process.send?.({ port: typeof address === 'object' ? address?.port : 0 });
});
process.on('message', ({ name, answer }: { readonly name: string; readonly answer: unknown }) => {
  answers.set(name, answer);
  process.send?.({ set: name });
});
