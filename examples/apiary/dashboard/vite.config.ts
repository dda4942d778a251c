import { mappa } from '@mappa/build/vite'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [mappa()],
  build: { sourcemap: true, chunkSizeWarningLimit: 1000 },
})
