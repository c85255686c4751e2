import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 1200 },
  server: { host: '127.0.0.1', proxy: { '/api': `http://127.0.0.1:${process.env.GULLYWIND_API_PORT ?? 8470}` } },
})
