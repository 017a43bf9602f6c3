import { Failure } from '../api'
import type { Problem } from '../types'
import type { Asked, Question, Told } from './messages'

// Elsewhere is thrown where only the service can answer.
export class Elsewhere extends Error {}

// longest is how long an answer may take before its worker is stopped. A run on one case ends by itself after 2 s, as in
// the service; this is for what does not look at the clock.
const longest = 5_000

// mostRestarts bounds how often an engine that failed is started again.
const mostRestarts = 3

type Waiting = { resolve: (text: string) => void; reject: (err: Error) => void; timer: ReturnType<typeof setTimeout> }

// Engine is the core on this device. Until it is there, and after it failed, it answers nothing, and the service is
// asked instead.
export class Engine {
  private worker: Worker | null = null
  private ready = false
  private restarts = 0
  private exercise = ''
  private next = 0
  private waiting = new Map<number, Waiting>()
  private listeners = new Set<() => void>()

  constructor(
    private readonly make: () => Worker,
    private readonly url: string,
  ) {}

  // start loads the engine; once is enough.
  start() {
    if (this.worker || this.restarts > mostRestarts) return
    this.worker = this.make()
    this.worker.onmessage = ({ data }: MessageEvent<Told>) => this.told(data)
    this.worker.onerror = () => this.again(new Elsewhere('the engine failed'))
    this.send({ kind: 'start', url: this.url })
  }

  isReady = () => this.ready

  // listen is told when the engine is there, and when it is gone.
  listen = (tell: () => void) => {
    this.listeners.add(tell)
    return () => {
      this.listeners.delete(tell)
    }
  }

  // ask answers a question on an exercise, given as the service sent it.
  async ask<T>(exercise: string, question: Question, body: unknown): Promise<T> {
    if (!this.ready) throw new Elsewhere('the engine is not there')
    if (exercise !== this.exercise) {
      this.exercise = exercise
      this.send({ kind: 'exercise', exercise })
    }
    const id = this.next++
    const text = await new Promise<string>((resolve, reject) => {
      const timer = setTimeout(() => this.again(tooLong()), longest)
      this.waiting.set(id, { resolve, reject, timer })
      this.send({ kind: 'ask', id, question, request: JSON.stringify(body) })
    })
    const said = JSON.parse(text) as { answer?: T; problem?: Problem; elsewhere?: string }
    if (said.problem) throw new Failure(said.problem)
    if (said.answer === undefined) throw new Elsewhere(said.elsewhere)
    return said.answer
  }

  private send(m: Asked) {
    this.worker?.postMessage(m)
  }

  private told(m: Told) {
    if (m.kind === 'gone') return this.again(new Elsewhere(m.why ?? 'the engine failed'))
    if (m.kind === 'ready') return this.is(true)
    const w = this.waiting.get(m.id)
    this.waiting.delete(m.id)
    clearTimeout(w?.timer)
    w?.resolve(m.text)
  }

  private is(ready: boolean) {
    this.ready = ready
    this.listeners.forEach((tell) => tell())
  }

  // again stops the worker with all that waits for it, and starts another.
  private again(err: Error) {
    this.worker?.terminate()
    this.worker = null
    this.exercise = ''
    this.restarts++
    const waiting = [...this.waiting.values()]
    this.waiting.clear()
    this.is(false)
    for (const w of waiting) {
      clearTimeout(w.timer)
      w.reject(err)
    }
    this.start()
  }
}

function tooLong(): Failure {
  return new Failure({
    type: 'urn:nimbus:problem:too-long',
    title: 'Stopped',
    status: 0,
    detail: 'This took longer than 5 seconds on this device and was stopped.',
    hint: 'what you typed is kept; look for a loop or an array larger than needed',
  })
}
