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

// The pages that students read, try and write on without a connection.
const offlinePages = ['Courses', 'CoursePage', 'Workspace', 'OwnNotesPage'].map((p) => `/src/pages/${p}.tsx`)

// The service worker keeps the files that those pages need: it gets their list.
function offline(): Plugin {
  return {
    name: 'offline',
    apply: 'build',
    generateBundle(_, bundle) {
      const files = new Set<string>()
      const add = (name: string, lazily: boolean) => {
        const chunk = bundle[name]
        if (!chunk || files.has('/' + name)) return
        files.add('/' + name)
        if (chunk.type !== 'chunk') return
        for (const css of chunk.viteMetadata?.importedCss ?? []) files.add('/' + css)
        for (const next of chunk.imports) add(next, lazily)
        if (lazily) for (const next of chunk.dynamicImports) add(next, true)
      }
      for (const [name, chunk] of Object.entries(bundle)) {
        if (chunk.type === 'chunk' && chunk.isEntry && name !== 'offline.js') add(name, false)
        else if (chunk.type === 'chunk' && offlinePages.some((p) => chunk.facadeModuleId?.endsWith(p))) add(name, true)
        else if (/worker-.*\.js$|-latin-wght-.*\.woff2$|KaTeX_(Main|Math|Size).*\.woff2$/.test(name)) add(name, false)
      }
      const worker = bundle['offline.js']
      if (worker?.type !== 'chunk') throw new Error('there is no offline.js')
      worker.code = worker.code.replaceAll('self.__FILES__', JSON.stringify([...files].sort()))
    },
  }
}

export default defineConfig({
  plugins: [react(), tailwind(), offline(), packed()],
  define: { NAMES: JSON.stringify({ files: 'files', answers: 'answers', kept: 'Nimbus-Kept' }) },
  build: {
    outDir: out,
    emptyOutDir: true,
    chunkSizeWarningLimit: 700,
    rollupOptions: {
      input: { index: 'index.html', offline: 'src/offline/worker.ts' },
      output: { entryFileNames: (c) => (c.name === 'offline' ? 'offline.js' : 'assets/[name]-[hash].js') },
    },
  },
  worker: { format: 'es' },
  test: { environment: 'jsdom', setupFiles: './src/testing/setup.ts', testTimeout: 60_000 },
  server: { proxy: { '/api': process.env.NIMBUS_SERVICE ?? 'http://127.0.0.1:8080' } },
})
