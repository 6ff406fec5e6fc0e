/** A module that scripts/assemble.mjs wrote down, ready to be instantiated. */
export const wasmModule = (base64: string): WebAssembly.Module =>
  new WebAssembly.Module(Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)));
