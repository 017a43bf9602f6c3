import { useSyncExternalStore } from 'react'

type Colour = [number, number, number]
interface Scales {
  low: Colour
  high: Colour
  below: Colour
  middle: Colour
  above: Colour
}

const light: Scales = {
  low: [243, 241, 230],
  high: [20, 82, 79],
  below: [47, 99, 181],
  middle: [255, 254, 251],
  above: [184, 86, 11],
}
const dark: Scales = {
  low: [29, 37, 41],
  high: [143, 216, 206],
  below: [111, 160, 238],
  middle: [25, 31, 35],
  above: [236, 154, 85],
}

const query = window.matchMedia('(prefers-color-scheme: dark)')

function listen(tell: () => void): () => void {
  query.addEventListener('change', tell)
  return () => query.removeEventListener('change', tell)
}

// useScales are the ends of the scales in the theme that is on.
export function useScales(): Scales {
  return useSyncExternalStore(listen, () => query.matches) ? dark : light
}

const between = (a: Colour, b: Colour, t: number) => a.map((c, i) => Math.round(c + (b[i]! - c) * t)) as Colour

// luminance is the relative luminance of WCAG 2.2, from 0 for black to 1 for white.
function luminance(c: Colour): number {
  const [r, g, b] = c.map((v) => (v / 255 <= 0.04045 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4)) as Colour
  return 0.2126 * r + 0.7152 * g + 0.0722 * b
}

// ground is a cell's colour with digits in black or white, whichever is read better: at
// least 4.5 to 1 on any ground.
function ground(c: Colour): React.CSSProperties {
  return { background: `rgb(${c.join(' ')})`, color: luminance(c) > 0.179 ? '#000' : '#fff' }
}

// heat shades a share of the way from the least to the greatest value.
export const heat = (s: Scales, t: number) => ground(between(s.low, s.high, t))

// signed shades a difference from -1 to 1 on either side of a neutral middle.
export const signed = (s: Scales, t: number) => ground(between(s.middle, t < 0 ? s.below : s.above, Math.abs(t)))
