// The service worker: pages and what was read of a course stay readable without a connection. It keeps files of the
// console, which never change under their names, and the last answers of what a student's pages read.
type Lasting = { waitUntil(p: Promise<unknown>): void }

declare const self: {
  __FILES__: string[]
  location: Location
  clients: { claim(): Promise<void> }
  skipWaiting(): Promise<void>
  addEventListener(kind: 'install' | 'activate', does: (e: Lasting) => void): void
  addEventListener(kind: 'message', does: (e: Lasting & { data: unknown }) => void): void
  addEventListener(
    kind: 'fetch',
    does: (e: { request: Request; respondWith(r: Promise<Response>): void }) => void,
  ): void
}

// What the build lists: the files that a student's pages need.
const files = self.__FILES__

// patience is how long a page or an answer may take before the kept one is shown, in milliseconds.
const patience = 6_000

// kept are the answers that a student's pages are made of.
const keptAnswers =
  /^\/api\/v1\/(session|words|courses|courses\/[^/]+|courses\/[^/]+\/exercises\/[^/]+(\/model)?|notes|notes\/unseen)$/

self.addEventListener('install', (e) => {
  e.waitUntil(
    (async () => {
      const cache = await caches.open(NAMES.files)
      await cache.addAll(['/', ...files])
      await self.skipWaiting()
    })(),
  )
})

self.addEventListener('activate', (e) => {
  e.waitUntil(
    (async () => {
      const cache = await caches.open(NAMES.files)
      const now = new Set(files)
      for (const old of await cache.keys()) {
        const path = new URL(old.url).pathname
        if (path.startsWith('/assets/') && /\.(js|css)$/.test(path) && !now.has(path)) await cache.delete(old)
      }
      await self.clients.claim()
    })(),
  )
})

self.addEventListener('fetch', (e) => {
  const url = new URL(e.request.url)
  if (e.request.method !== 'GET' || url.origin !== self.location.origin) return
  if (e.request.mode === 'navigate' && url.pathname.startsWith('/api/')) return // a file that is saved
  if (url.pathname.startsWith('/assets/') || url.pathname === '/mark.svg') e.respondWith(file(e.request))
  else if (e.request.mode === 'navigate') e.respondWith(page(e.request))
  else if (keptAnswers.test(url.pathname)) e.respondWith(answer(e.request))
})

// file is a file of the console: what is there stays as it is.
async function file(request: Request): Promise<Response> {
  const cache = await caches.open(NAMES.files)
  const kept = await cache.match(request)
  if (kept) return kept
  const got = await fetch(request)
  if (got.ok) await put(cache, request, got.clone())
  return got
}

// page is the console's one page, whatever the address.
async function page(request: Request): Promise<Response> {
  try {
    return await inTime(fetch(request))
  } catch (err) {
    const kept = await (await caches.open(NAMES.files)).match('/')
    if (kept) return kept
    throw err
  }
}

// signedOut counts how often all answers were forgotten: one that was asked for before is not kept after.
let signedOut = 0

self.addEventListener('message', (e) => {
  if (e.data !== 'forget') return
  signedOut++
  e.waitUntil(caches.delete(NAMES.answers))
})

// answer is the service's, or the last one with the time at which it was kept.
async function answer(request: Request): Promise<Response> {
  const before = signedOut
  const kept = await caches.match(request, { cacheName: NAMES.answers })
  try {
    const got = await inTime(fetch(request), kept)
    if (got.ok && before === signedOut) await put(await caches.open(NAMES.answers), request, stamped(got.clone()))
    return got
  } catch (err) {
    if (kept) return kept
    throw err
  }
}

// inTime waits for an answer, for ever where nothing is kept instead.
function inTime(asked: Promise<Response>, kept: unknown = true): Promise<Response> {
  if (!kept) return asked
  return new Promise((resolve, reject) => {
    setTimeout(() => reject(new Error('no answer in time')), patience)
    asked.then(resolve, reject)
  })
}

const stamped = (got: Response) =>
  new Response(got.body, {
    status: got.status,
    headers: { 'Content-Type': got.headers.get('Content-Type') ?? '', [NAMES.kept]: new Date().toISOString() },
  })

// put keeps an answer; a full device keeps none, and the page goes on.
async function put(cache: Cache, request: Request, got: Response) {
  try {
    await cache.put(request, got)
  } catch {
    // Told by the page, which keeps drafts in the same place.
  }
}

export {}
