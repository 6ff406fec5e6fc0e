/** The call or a file is wrong; the message says how. */
export class CliError extends Error {}

/** Writes one line of JSON, waiting where the reader is slower. */
export async function print(value: unknown): Promise<void> {
  if (!process.stdout.write(`${JSON.stringify(value)}\n`))
    await new Promise((resolve) => process.stdout.once('drain', resolve));
}
