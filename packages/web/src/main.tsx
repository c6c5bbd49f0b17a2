import { StrictMode, Suspense } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Link, Route, Routes, useLocation } from 'react-router'
import { SignIn } from './access/sign-in.tsx'
import { ConnectionBar } from './shell/connection-bar.tsx'
import { Notices } from './shell/notices.tsx'
import { tellBroken } from './shell/tell-broken.ts'
import { Boundary } from './components/boundary.tsx'
import { Screen } from './components/shown.tsx'
import { HintLayer } from './components/hint-layer.tsx'
import { Words } from './components/words.tsx'
import '@fontsource-variable/source-sans-3/wght.css'
import '@fontsource/source-serif-4/latin-400.css'
import '@fontsource/source-serif-4/latin-600.css'
import './index.css'
import { fetchPage, PAGES } from './pages.ts'
import { Library, TakeList } from './library/library.tsx'
import { filterOf, useLibrary } from './state/library.ts'
import { useSession } from './state/session.ts'
import { followTheme } from './state/settings.ts'

followTheme()

// The library's takes and its list come while the page around them is made.
if (location.pathname === '/') {
  void useLibrary.getState().loadEarly(filterOf(new URLSearchParams(location.search)))
  TakeList.fetch().catch(() => {})
}

const NOWHERE = (
  <>
    <h1 className="sr-only">Lapsus</h1>
    <Words title="There is nothing at this address">
      <Link to="/" className="underline">
        To the library
      </Link>
    </Words>
  </>
)

function Pages() {
  const mustSignIn = useSession((state) => state.mustSignIn)
  if (mustSignIn) return <SignIn />
  return (
    <BrowserRouter>
      <PageAtAddress />
    </BrowserRouter>
  )
}

function PageAtAddress() {
  const { pathname } = useLocation()
  return (
    <Boundary at={pathname}>
      <Suspense fallback={<Words title="Opening the take…" />}>
        <Routes>
          <Route path="/" element={<Library />} />
          {PAGES.map(({ path, Page }) => (
            <Route key={path} path={path} element={<Page />} />
          ))}
          <Route path="*" element={NOWHERE} />
        </Routes>
      </Suspense>
    </Boundary>
  )
}

void fetchPage(location.pathname).then(() => {
  createRoot(document.getElementById('root')!, { onCaughtError: tellBroken }).render(
    <StrictMode>
      <ConnectionBar />
      <main className="h-full">
        <Screen>
          <Boundary>
            <Pages />
          </Boundary>
        </Screen>
      </main>
      <Notices />
      <Boundary instead={null}>
        <HintLayer />
      </Boundary>
    </StrictMode>,
  )
})
