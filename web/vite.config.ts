import react from '@vitejs/plugin-react'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [react()],
  build: {
    chunkSizeWarningLimit: 1200,
    // Fonts as files: the server's policy takes nothing that is written into another file.
    assetsInlineLimit: 0,
  },
  test: { include: ['src/**/*.test.ts'] },
  server: { host: '127.0.0.1', proxy: { '/api': `http://127.0.0.1:${process.env.GULLYWIND_API_PORT ?? 8470}` } },
})
