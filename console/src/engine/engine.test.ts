import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { Failure } from '../api'
import { Elsewhere, Engine } from './engine'
import type { Asked, Told } from './messages'

// StandIn is a worker that answers what it is told to.
class StandIn {
  sent: Asked[] = []
  stopped = false
  onmessage?: (e: { data: Told }) => void
  onerror?: () => void
  postMessage(m: Asked) {
    this.sent.push(m)
  }
  terminate() {
    this.stopped = true
  }
  say(data: Told) {
    this.onmessage?.({ data })
  }
  asked = () => this.sent.filter((m) => m.kind === 'ask')
}

let made: StandIn[]
const engineOf = () =>
  new Engine(() => {
    made.push(new StandIn())
    return made.at(-1) as unknown as Worker
  }, '/assets/engine.wasm')

function started() {
  const engine = engineOf()
  engine.start()
  made[0]!.say({ kind: 'ready' })
  return { engine, worker: made[0]! }
}

beforeEach(() => {
  made = []
  vi.useFakeTimers()
})
afterEach(() => {
  vi.useRealTimers()
})

describe('the engine', () => {
  it('answers nothing before it is there, and says when it is', async () => {
    const engine = engineOf()
    const told = vi.fn()
    engine.listen(told)
    await expect(engine.ask('{}', 'try', {})).rejects.toThrow(Elsewhere)
    engine.start()
    engine.start()
    expect(made).toHaveLength(1)
    expect(made[0]!.sent).toEqual([{ kind: 'start', url: '/assets/engine.wasm' }])
    expect(engine.isReady()).toBe(false)
    made[0]!.say({ kind: 'ready' })
    expect(engine.isReady()).toBe(true)
    expect(told).toHaveBeenCalledOnce()
  })

  it('sends an exercise once, as its text, and gives each answer to who asked', async () => {
    const { engine, worker } = started()
    const first = engine.ask('{"a":1}', 'try', { program: 'x = 1' })
    const second = engine.ask('{"a":1}', 'shapes', { program: 'y = 2' })
    void engine.ask('{"b":2}', 'shapes', {}).catch(() => undefined)
    expect(worker.sent.map((m) => (m.kind === 'exercise' ? m.exercise : m.kind))).toEqual([
      'start',
      '{"a":1}',
      'ask',
      'ask',
      '{"b":2}',
      'ask',
    ])
    expect(worker.asked()[0]).toMatchObject({ question: 'try', request: '{"program":"x = 1"}' })
    worker.say({ kind: 'answer', id: 1, text: '{"answer":"second"}' })
    worker.say({ kind: 'answer', id: 0, text: '{"answer":"first"}' })
    expect(await second).toBe('second')
    expect(await first).toBe('first')
  })

  it('throws a problem as the service would, and lets the service answer what it cannot', async () => {
    const { engine, worker } = started()
    const refused = engine.ask('', 'trace', {})
    worker.say({
      kind: 'answer',
      id: 0,
      text: '{"problem":{"title":"Too large to be traced","detail":"x","status":422}}',
    })
    const failure = await refused.catch((e: unknown) => e)
    expect(failure).toBeInstanceOf(Failure)
    expect((failure as Failure).problem.title).toBe('Too large to be traced')
    const elsewhere = engine.ask('', 'try', {})
    worker.say({ kind: 'answer', id: 1, text: '{"elsewhere":"it draws"}' })
    await expect(elsewhere).rejects.toThrow(new Elsewhere('it draws'))
  })

  it('stops what runs too long with its worker, says so, and starts again', async () => {
    const { engine, worker } = started()
    const endless = engine.ask('{}', 'try', {}).catch((e: unknown) => e)
    const behind = engine.ask('{}', 'shapes', {}).catch((e: unknown) => e)
    await vi.advanceTimersByTimeAsync(4_999)
    expect(worker.stopped).toBe(false)
    await vi.advanceTimersByTimeAsync(1)
    expect(worker.stopped).toBe(true)
    for (const said of [await endless, await behind]) {
      expect(said).toBeInstanceOf(Failure)
      expect((said as Failure).problem.detail).toContain('longer than 5 seconds on this device')
      expect((said as Failure).problem.hint).toContain('what you typed is kept')
    }
    expect(engine.isReady()).toBe(false)
    expect(made).toHaveLength(2)
    made[1]!.say({ kind: 'ready' })
    const again = engine.ask('{}', 'try', {})
    expect(made[1]!.sent.map((m) => m.kind)).toEqual(['start', 'exercise', 'ask'])
    made[1]!.say({ kind: 'answer', id: 2, text: '{"answer":3}' })
    expect(await again).toBe(3)
  })

  it('lets the service answer when it fails, and gives up after some failures', async () => {
    const { engine, worker } = started()
    const waiting = engine.ask('{}', 'try', {})
    worker.say({ kind: 'gone', why: 'out of memory' })
    await expect(waiting).rejects.toThrow(new Elsewhere('out of memory'))
    made[1]!.onerror!()
    made[2]!.say({ kind: 'gone' })
    expect(made).toHaveLength(4)
    made[3]!.say({ kind: 'gone' })
    expect(made).toHaveLength(4)
    expect(engine.isReady()).toBe(false)
    await expect(engine.ask('{}', 'try', {})).rejects.toThrow(Elsewhere)
  })
})
