import { useEffect } from 'react'

// useLitAxes lights an axis that is pointed at, by its name, in every strip of the page.
export function useLitAxes() {
  useEffect(() => {
    const light = (name: string | undefined) => {
      for (const e of document.querySelectorAll('.axis-lit')) e.classList.remove('axis-lit')
      if (name === undefined) return
      for (const e of document.querySelectorAll<HTMLElement>('[data-axis]'))
        if (e.dataset['axis'] === name) e.classList.add('axis-lit')
    }
    const over = (event: Event) => {
      const at = event.target instanceof Element ? event.target.closest<HTMLElement>('[data-axis]') : null
      light(at?.dataset['axis'])
    }
    document.addEventListener('pointerover', over)
    return () => document.removeEventListener('pointerover', over)
  }, [])
}
