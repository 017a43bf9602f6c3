import { QueryClientProvider } from '@tanstack/react-query'
import { RouterProvider } from '@tanstack/react-router'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { install } from './offline/course'
import { newQueries, newRouter } from './routes'
import './theme.css'

install()

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={newQueries()}>
      <RouterProvider router={newRouter()} />
    </QueryClientProvider>
  </StrictMode>,
)
