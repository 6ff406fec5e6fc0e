/**
 * The one application of this process. The pages are bundled apart from the services, so both find
 * it under a global symbol and share nothing else but types.
 */
import type { App } from './app.ts';

const KEY = Symbol.for('gate-lantern.app');
const store = globalThis as { [KEY]?: App };

export const setApp = (app: App): void => void (store[KEY] = app);

export function getApp(): App {
  const app = store[KEY];
  if (!app) throw new Error('The services are not there: start with npm start or npm run dev.');
  return app;
}
