import url from '../../engine/engine.wasm?url'

export const engineUrl = url

// fits reports whether this page's engine is the one of the service; a service without a console has none.
export const fits = (served: string) => import.meta.env.DEV || served === '' || served === url
