import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, constants, gzipSync } from 'node:zlib'
import tailwind from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import type { Plugin } from 'vite'
import { defineConfig } from 'vitest/config'

const out = '../internal/service/web/dist'

// The densest but one: the densest takes twice as long for 3 % of the engine.
const brotli = { params: { [constants.BROTLI_PARAM_QUALITY]: 10, [constants.BROTLI_PARAM_LGWIN]: 24 } }

// The service sends packed files as they lie, so they are packed once, here.
function packed(): Plugin {
  const pack = (dir: string) => {
    for (const name of readdirSync(dir)) {
      const file = join(dir, name)
      if (statSync(file).isDirectory()) pack(file)
      else if (/\.(js|css|html|svg|wasm|webmanifest)$/.test(name)) {
        const text = readFileSync(file)
        writeFileSync(file + '.gz', gzipSync(text, { level: 9 }))
        writeFileSync(file + '.br', brotliCompressSync(text, brotli))
      }
    }
  }
  return {
    name: 'packed',
    apply: 'build',
    closeBundle: () => {
      pack(out)
      writeFileSync(join(out, '.keep'), '')
    },
  }
}

export default defineConfig({
  plugins: [react(), tailwind(), packed()],
  build: { outDir: out, emptyOutDir: true, chunkSizeWarningLimit: 700 },
  worker: { format: 'es' },
  test: { environment: 'jsdom', setupFiles: './src/testing/setup.ts', testTimeout: 60_000 },
  server: { proxy: { '/api': process.env.NIMBUS_SERVICE ?? 'http://127.0.0.1:8080' } },
})
