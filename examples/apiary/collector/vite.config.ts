import { mappa } from '@mappa/build/vite'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [mappa()],
  build: { ssr: 'src/server.ts', target: 'node20', sourcemap: true },
})
