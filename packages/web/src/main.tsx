import { Tooltip } from 'radix-ui'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { createBrowserRouter, Link, RouterProvider } from 'react-router'
import { Notices } from './components/notices.tsx'
import { Words } from './components/words.tsx'
import './index.css'
import { Library } from './library/library.tsx'
import { followTheme } from './state/settings.ts'
import { Workbench } from './workbench/workbench.tsx'

followTheme()

const router = createBrowserRouter([
  { path: '/', element: <Library /> },
  { path: '/takes/:take', element: <Workbench /> },
  {
    path: '*',
    element: (
      <Words title="There is nothing at this address">
        <Link to="/" className="underline">
          To the library
        </Link>
      </Words>
    ),
  },
])

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <Tooltip.Provider delayDuration={350}>
      <RouterProvider router={router} />
      <Notices />
    </Tooltip.Provider>
  </StrictMode>,
)
