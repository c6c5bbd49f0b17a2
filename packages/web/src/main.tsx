import { Tooltip } from 'radix-ui'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { createBrowserRouter, Link, RouterProvider } from 'react-router'
import { SignIn } from './access/sign-in.tsx'
import { ConnectionBar } from './components/connection-bar.tsx'
import { Notices } from './components/notices.tsx'
import { Words } from './components/words.tsx'
import './index.css'
import { Library } from './library/library.tsx'
import { useSession } from './state/session.ts'
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

function Pages() {
  const mustSignIn = useSession((state) => state.mustSignIn)
  return mustSignIn ? <SignIn /> : <RouterProvider router={router} />
}

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <Tooltip.Provider delayDuration={350}>
      <ConnectionBar />
      <Pages />
      <Notices />
    </Tooltip.Provider>
  </StrictMode>,
)
