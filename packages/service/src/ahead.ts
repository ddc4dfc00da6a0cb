/** What a service needs that can begin before the rest of it is loaded; small, so that it is loaded at once itself. */
export { startWriterAhead } from '@vekkon/store/ahead';
