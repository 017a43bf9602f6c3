import { cleanup, configure } from '@testing-library/react'
import { afterEach, vi } from 'vitest'

// A busy machine may take its time; no test waits for what must not come.
configure({ asyncUtilTimeout: 10_000 })

// What pages ask of a browser that jsdom has not.
const quiet = { matches: false, addEventListener: () => {}, removeEventListener: () => {} }
vi.stubGlobal('matchMedia', () => quiet)
vi.stubGlobal('scrollTo', () => {})
vi.stubGlobal(
  'ResizeObserver',
  class {
    observe() {}
    unobserve() {}
    disconnect() {}
  },
)
Element.prototype.scrollIntoView = () => {}
Element.prototype.hasPointerCapture = () => false
Element.prototype.setPointerCapture = () => {}
Element.prototype.releasePointerCapture = () => {}
Range.prototype.getClientRects = () => Object.assign([], { item: () => null })
Range.prototype.getBoundingClientRect = () => new DOMRect()

afterEach(() => {
  cleanup()
  localStorage.clear()
})

// Nothing is laid out here: what asks how large it is hears that it fills a small window.
for (const [side, size] of [
  ['clientWidth', 800],
  ['clientHeight', 600],
] as const)
  Object.defineProperty(HTMLElement.prototype, side, { configurable: true, get: () => size })
