/** While rules are changed one by one, a property need not be tried for longer than this. */
import fc from 'fast-check'

fc.configureGlobal({ interruptAfterTimeLimit: 150 })
