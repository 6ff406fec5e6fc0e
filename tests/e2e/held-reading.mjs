// Loaded before everything else (node --import): the engine's questions to the database wait while a file exists.
import { existsSync } from 'node:fs';
import { clearInterval, setInterval } from 'node:timers';
import { workerData } from 'node:worker_threads';

/** What is asked over a port waits. */
function hold(port) {
  const send = port.postMessage.bind(port);
  let waiting = [];
  const timer = setInterval(() => {
    if (existsSync(process.env.HELD_READING)) return;
    clearInterval(timer);
    for (const message of waiting) send(...message);
    waiting = undefined;
  }, 20);
  port.postMessage = (...message) => (waiting ? waiting.push(message) : send(...message));
}

if (workerData?.file?.includes('engine.thread')) {
  const { port } = workerData;
  const on = port.on.bind(port);
  port.on = (event, listener) =>
    on(event, (message) => {
      if (message?.name === 'connect') hold(message.args[0]);
      listener(message);
    });
}
