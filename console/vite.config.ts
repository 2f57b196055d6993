import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: { outDir: '../dist/console', emptyOutDir: true, chunkSizeWarningLimit: 1500, target: 'es2022' },
});
