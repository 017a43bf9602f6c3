// The core as WebAssembly, in a worker: what runs too long is stopped with the worker, and the page stays alive.
import '../../engine/wasm_exec.js'
import type { Asked, Told } from './messages'

declare const self: {
  postMessage(m: Told): void
  onmessage: (event: MessageEvent<Asked>) => void
  Go: new () => { importObject: WebAssembly.Imports; run(instance: WebAssembly.Instance): Promise<void> }
  nimbusExercise(exercise: string): string
  nimbusAsk(question: string, request: string): string
}

const tell = (m: Told) => self.postMessage(m)

async function start(url: string) {
  const go = new self.Go()
  const { instance } = await WebAssembly.instantiateStreaming(fetch(url), go.importObject)
  // It runs until it fails: out of memory, or a fault that nothing caught.
  void go.run(instance).finally(() => tell({ kind: 'gone' }))
  tell({ kind: 'ready' })
}

self.onmessage = ({ data }: MessageEvent<Asked>) => {
  if (data.kind === 'start') start(data.url).catch((err: unknown) => tell({ kind: 'gone', why: String(err) }))
  else if (data.kind === 'exercise') self.nimbusExercise(data.exercise)
  else tell({ kind: 'answer', id: data.id, text: self.nimbusAsk(data.question, data.request) })
}
