import { readFileSync } from 'node:fs';
import path from 'node:path';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

const api = process.env['YUNDRO_API'];
const { version } = JSON.parse(readFileSync(path.resolve(import.meta.dirname, '../package.json'), 'utf8')) as {
  version: string;
};

export default defineConfig({
  plugins: [react()],
  define: { __YUNDRO_VERSION__: JSON.stringify(version) },
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    sourcemap: false,
    // the content-security policy allows fonts from files only
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
  },
  worker: { format: 'es' },
  resolve: { alias: { '@yundro/core': path.resolve(import.meta.dirname, '../core/src/index.ts') } },
  server: api === undefined ? {} : { proxy: { '/api': api } },
});
