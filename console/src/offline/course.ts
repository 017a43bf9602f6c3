import { get } from '../api'
import { engineUrl } from '../engine/version'
import type { Course } from '../types'
import { connection } from './connection'
import { answersCache } from './names'

// fresh is how long the kept exercises of a course are left as they are, in milliseconds.
const fresh = 15 * 60_000

const readAt = new Map<string, number>()

// readAll reads the open exercises of a course, so that they can be read, tried and written without a connection. They
// go one after another, behind what the page itself asks.
export async function readAll(course: Course) {
  const now = Date.now()
  if (now - (readAt.get(course.slug) ?? -Infinity) < fresh || !(await controlled())) return
  readAt.set(course.slug, now)
  const path = `/courses/${course.slug}`
  try {
    for (const p of ['/session', '/words', '/courses', path, `/notes?course=${course.slug}`]) await get(p)
    for (const e of course.exercises) {
      if (!connection().on) break
      if (e.state !== 'soon') await get(`${path}/exercises/${e.name}`)
    }
    await fetch(engineUrl)
  } catch {
    readAt.delete(course.slug) // the next visit goes on
  }
}

// controlled waits until the service worker sees what the page asks; false where there is none.
async function controlled(): Promise<boolean> {
  const workers = typeof navigator === 'undefined' ? undefined : navigator.serviceWorker
  if (!workers || !import.meta.env.PROD) return false
  if (!workers.controller)
    await new Promise((resolve) => workers.addEventListener('controllerchange', resolve, { once: true }))
  return true
}

// forgetAnswers takes what was read from this device.
export async function forgetAnswers() {
  readAt.clear()
  if (typeof caches === 'undefined') return
  navigator.serviceWorker?.controller?.postMessage('forget')
  await caches.delete(answersCache)
}

// install starts the service worker, where the browser has any; pages work without.
export function install() {
  if (!import.meta.env.PROD || !('serviceWorker' in navigator)) return
  const register = () => void navigator.serviceWorker.register('/offline.js').catch(() => undefined)
  if (document.readyState === 'complete') register()
  else window.addEventListener('load', register)
}
