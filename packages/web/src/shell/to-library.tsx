import { ArrowLeft } from 'lucide-react'
import { Link } from 'react-router'
import { Hint } from '../components/hint.tsx'

export const ToLibrary = () => (
  <Hint text="To the library">
    <Link to="/" aria-label="To the library" className="text-faint hover:text-ink">
      <ArrowLeft size={18} />
    </Link>
  </Hint>
)
