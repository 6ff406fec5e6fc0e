/** An error that the one who asked can do something about. Reaches the API as RFC 9457 problem details. */
export class AppError extends Error {
  override name = 'AppError';
  constructor(
    readonly code: string,
    readonly status: number,
    message: string,
    readonly retryAfter?: number,
  ) {
    super(message);
  }
}
