// What this browser keeps. Storage may be full or forbidden: then a text is kept in the open page alone, and whoever
// keeps it is told.
const inPage = new Map<string, string>()

// store keeps a text under a key; false where it lies in the open page alone.
export function store(key: string, text: string): boolean {
  inPage.set(key, text)
  try {
    localStorage.setItem(key, text)
    inPage.delete(key)
    return true
  } catch {
    return false
  }
}

export function stored(key: string): string | null {
  const text = inPage.get(key)
  if (text !== undefined) return text
  try {
    return localStorage.getItem(key)
  } catch {
    return null
  }
}

export function drop(key: string) {
  inPage.delete(key)
  try {
    localStorage.removeItem(key)
  } catch {
    // Where nothing may be kept there is nothing.
  }
}

// storedUnder lists the keys that begin with one of some words.
export function storedUnder(...prefixes: string[]): string[] {
  const keys = [...inPage.keys()]
  try {
    for (let i = 0; i < localStorage.length; i++) keys.push(localStorage.key(i)!)
  } catch {
    // As above.
  }
  return keys.filter((k) => prefixes.some((p) => k.startsWith(p)))
}
