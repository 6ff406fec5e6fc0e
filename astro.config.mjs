import node from '@astrojs/node';
import react from '@astrojs/react';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'astro/config';

export default defineConfig({
  output: 'server',
  outDir: 'dist/pages',
  // started by src/server.ts, which puts the services beside it
  adapter: node({ mode: 'standalone' }),
  integrations: [react()],
  // every write checks its Origin in pages/api/_endpoint.ts, whatever its content type
  security: { checkOrigin: false },
  experimental: {
    csp: {
      directives: [
        "default-src 'self'",
        "img-src 'self' data:",
        "font-src 'self'",
        "connect-src 'self'",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
      ],
      // what Radix's dialogs put into the page to stop it from scrolling behind them: always the same text
      styleDirective: { hashes: ['sha256-nzTgYzXYDNe6BAHiiI7NNlfK8n/auuOAhh2t92YvuXo='] },
    },
  },
  devToolbar: { enabled: false },
  telemetry: false,
  vite: {
    plugins: [tailwindcss()],
    optimizeDeps: { exclude: ['@electric-sql/pglite'] },
    ssr: { external: ['@electric-sql/pglite', '@node-rs/argon2'] },
    build: { assetsInlineLimit: 0 },
  },
});
