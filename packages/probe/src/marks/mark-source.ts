/**
 * Markers around the functions of a module, put into its text before it runs. Lines stay where they are. What functions
 * are given and give, what they throw, `this`, `arguments`, `super` and `new.target` are theirs, since each body stays in
 * its function, in a block; the span of an async function ends where it gives its thread away, and goes on after that.
 */
import { parse, type ParserPlugin } from '@babel/parser'
import MagicString from 'magic-string'
import { findFunctions, type LeftAsItIs } from './find-functions.ts'
import { fieldOf, nodeIn, nodesIn, ownNodes, type Syntax } from './syntax.ts'

export interface MarkedFunction {
  name: string
  /** In the text as it was given; both from 1. */
  line: number
  column: number
}

export interface MarkedSource {
  code: MagicString
  functions: MarkedFunction[]
  /** Functions with names that are not marked, and why. */
  leftAsItIs: { name: string; line: number; why: string }[]
}

interface Token {
  start: number
  end: number
  type: { label?: string }
}

/** What code is written in, by the ending of its file. */
const PLUGINS: Record<string, ParserPlugin[]> = {
  ts: ['typescript'],
  mts: ['typescript'],
  cts: ['typescript'],
  tsx: ['typescript', 'jsx'],
}
/** Files whose functions can be marked. */
export const MARKABLE = /\.([cm]?[jt]s|[jt]sx)$/

const nameOfModule = (file: string): string => /([^/]*?)(\.[^./]*)?$/.exec(file)![1]!

/**
 * @param file its ending says what it is written in; functions without an owner are named after it
 * @param registry an expression that gives what enters and leaves, or nothing; told which functions there are
 * @returns null where there is nothing to mark
 * @throws SyntaxError for what the parser does not know, with its line
 */
export function markSource(
  text: string,
  file: string,
  registry: (functions: readonly MarkedFunction[]) => string,
): MarkedSource | null {
  const isTyped = /\.([cm]?ts|tsx)$/.test(file)
  const { program, tokens } = parse(text, {
    sourceType: 'unambiguous',
    allowReturnOutsideFunction: true,
    allowAwaitOutsideFunction: true,
    tokens: true,
    plugins: [...(PLUGINS[/[^.]*$/.exec(file)![0]] ?? ['jsx']), 'decorators', 'explicitResourceManagement'],
  }) as unknown as { program: Syntax; tokens: Token[] }
  const { found, leftAsItIs } = findFunctions(program, nameOfModule(file), isTyped)
  if (found.length === 0) return null
  const code = new MagicString(text)
  const name = unusedName(text)
  found.forEach(({ node }, i) => wrap(code, node, i, name, tokens))
  const functions = found.map(({ node, name: called }) => ({ name: called, ...placeOf(node) }))
  // Functions, since those are there before any of the module has run, as in circles of modules.
  const helpers = found.some(({ node }) => isAsync(node))
    ? `function ${name}_away(run,value){run&&run.away();return value}` +
      `function ${name}_back(run,value){run&&run.back();return value}`
    : ''
  code.appendLeft(firstPlace(program, text), `;var ${name}=${registry(functions)};${helpers}`)
  return { code, functions, leftAsItIs: leftAsItIs.map(told) }
}

const isAsync = (node: Syntax): boolean => fieldOf(node, 'async') === true
const placeOf = ({ loc }: Syntax) => ({ line: loc.start.line, column: loc.start.column + 1 })
const told = ({ node, name, why }: LeftAsItIs) => ({ name, line: node.loc.start.line, why })

/** One that the text does not have, not even as a part of another. */
function unusedName(text: string): string {
  let name = '$lapsus'
  for (let i = 0; text.includes(name); i++) name = `$lapsus${i}`
  return name
}

/** Behind the line for the shell, and behind directives, which must come first. */
function firstPlace(program: Syntax, text: string): number {
  const last = nodesIn(program, 'directives').at(-1)
  if (last !== undefined) return last.end
  if (!text.startsWith('#!')) return 0
  const end = text.indexOf('\n')
  return end < 0 ? text.length : end + 1
}

function wrap(code: MagicString, node: Syntax, index: number, name: string, tokens: readonly Token[]): void {
  const body = nodeIn(node, 'body')!
  const run = `${name}_run`
  const [begin, end] = isAsync(node)
    ? [`const ${run}=${name}?${name}.run(${index}):null;try{`, `}finally{${run}&&${run}.end()}`]
    : [`const ${run}=${name}?${name}(${index}):0;try{`, `}finally{${run}&&${name}.leave(${run})}`]
  if (body.type === 'BlockStatement') {
    const directive = nodesIn(body, 'directives').at(-1)
    code.appendLeft(directive?.end ?? body.start + 1, `;${begin}`)
    code.prependRight(body.end - 1, end)
  } else {
    // In parentheses, so that it may begin on a line of its own.
    code.appendLeft(arrowBefore(body, tokens), `{${begin}return(`)
    code.prependRight(node.end, `)${end}}`)
  }
  if (!isAsync(node)) return
  for (const one of ownNodes(body.type === 'BlockStatement' ? body : node)) {
    if (one.type !== 'AwaitExpression') continue
    // A name in front, as `await` is: what stands on the line before ends there.
    code.appendLeft(one.start, `${name}_back(${run},`)
    code.appendLeft(one.start + 'await'.length, ` ${name}_away(${run},`)
    code.appendLeft(one.end, '))')
  }
}

/** Where the body of an arrow function begins, parentheses around it included. */
function arrowBefore(body: Syntax, tokens: readonly Token[]): number {
  let [low, high] = [0, tokens.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (tokens[middle]!.start < body.start) low = middle + 1
    else high = middle
  }
  for (let i = low - 1; i >= 0; i--) if (tokens[i]!.type.label === '=>') return tokens[i]!.end
  throw new SyntaxError('an arrow function has no arrow')
}
