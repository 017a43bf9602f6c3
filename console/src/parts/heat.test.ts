import { renderHook } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { heat, signed, useScales } from './heat'

const scales = () => renderHook(() => useScales()).result.current
const ground = (s: React.CSSProperties) => (/rgb\((.*)\)/.exec(String(s.background))?.[1] ?? '').split(' ').map(Number)

// contrast is that of WCAG 2.2, from its definition.
function contrast(a: number[], b: number[]): number {
  const light = (c: number[]) => {
    const [r, g, blue] = c.map((v) => (v / 255 <= 0.04045 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4))
    return 0.2126 * r! + 0.7152 * g! + 0.0722 * blue!
  }
  const [x, y] = [light(a), light(b)].sort((m, n) => n - m)
  return (x! + 0.05) / (y! + 0.05)
}

describe('a scale', () => {
  it('runs from its low end to its high one', () => {
    const s = scales()
    expect(ground(heat(s, 0))).toEqual(s.low)
    expect(ground(heat(s, 1))).toEqual(s.high)
  })
  it('has a neutral middle between below and above', () => {
    const s = scales()
    expect(ground(signed(s, 0))).toEqual(s.middle)
    expect(ground(signed(s, -1))).toEqual(s.below)
    expect(ground(signed(s, 1))).toEqual(s.above)
  })
  it('is never so that its digits cannot be read', () => {
    const s = scales()
    for (let t = -1; t <= 1; t += 0.02) {
      for (const style of [heat(s, Math.abs(t)), signed(s, t)]) {
        const ink = style.color === '#000' ? [0, 0, 0] : [255, 255, 255]
        expect(contrast(ground(style), ink), `at ${t.toFixed(2)}`).toBeGreaterThanOrEqual(4.5)
      }
    }
  })
})
