// Where the service worker keeps what, and how the page knows what was kept. They are set in vite.config.ts: the service
// worker is one file and imports nothing.
declare global {
  const NAMES: { files: string; answers: string; kept: string }
}

export const answersCache = NAMES.answers
export const keptHeader = NAMES.kept
