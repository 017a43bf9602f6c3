import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'

export type Line = 'connecting' | 'live' | 'lost'

// useLive refetches what a course's stream of events reports as changed, at most a few times a second, and says whether
// the stream is up. Whoever was away is told to look at everything.
export function useLive(course: string, keys: readonly string[]): Line {
  const client = useQueryClient()
  const [line, setLine] = useState<Line>('connecting')
  const what = keys.join(' ')
  useEffect(() => {
    const source = new EventSource(`/api/v1/courses/${course}/desk/events`)
    let timer: ReturnType<typeof setTimeout> | undefined
    const changed = () => {
      timer ??= setTimeout(() => {
        timer = undefined
        for (const key of what.split(' ')) void client.invalidateQueries({ queryKey: [key, course] })
      }, 200)
    }
    for (const kind of ['attempt', 'verdict', 'revision', 'note', 'refresh']) source.addEventListener(kind, changed)
    source.onopen = () => setLine('live')
    source.onerror = () => setLine('lost')
    return () => {
      clearTimeout(timer)
      source.close()
    }
  }, [client, course, what])
  return line
}
