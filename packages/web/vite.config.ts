import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // Only for development: the built pages are served by the server itself.
  server: { proxy: { '/api': process.env['LAPSUS_URL'] ?? 'http://127.0.0.1:4780' } },
  build: { outDir: 'dist', emptyOutDir: true, chunkSizeWarningLimit: 900 },
})
