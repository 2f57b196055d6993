import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  // The build for Node has Buffer in it, which no browser has.
  resolve: { alias: { 'csv-stringify/sync': 'csv-stringify/browser/esm/sync' } },
  build: { outDir: '../dist/console', emptyOutDir: true, chunkSizeWarningLimit: 1500, target: 'es2022' },
});
