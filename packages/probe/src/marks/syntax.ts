/** What is used of a syntax tree, as @babel/parser gives it. */
export interface Syntax {
  type: string
  start: number
  end: number
  loc: { start: { line: number; column: number } }
}

/** A field of a node, whatever it is. */
export const fieldOf = (node: Syntax, field: string): unknown =>
  (node as unknown as Record<string, unknown>)[field]
export const nodeIn = (node: Syntax, field: string): Syntax | null => {
  const value = fieldOf(node, field)
  return isSyntax(value) ? value : null
}
export const nodesIn = (node: Syntax, field: string): Syntax[] => {
  const value = fieldOf(node, field)
  return Array.isArray(value) ? value.filter(isSyntax) : []
}
export const textIn = (node: Syntax | null, field: string): string | null => {
  const value = node === null ? null : fieldOf(node, field)
  return typeof value === 'string' ? value : null
}

const isSyntax = (value: unknown): value is Syntax =>
  typeof value === 'object' && value !== null && typeof (value as Partial<Syntax>).type === 'string'

/** The nodes right below one, in order of the text. */
export function* childrenOf(node: Syntax): Generator<Syntax> {
  for (const value of Object.values(node) as unknown[]) {
    if (isSyntax(value)) yield value
    else if (Array.isArray(value)) for (const item of value as unknown[]) if (isSyntax(item)) yield item
  }
}

const FUNCTIONS = [
  'FunctionDeclaration',
  'FunctionExpression',
  'ArrowFunctionExpression',
  'ClassMethod',
  'ClassPrivateMethod',
  'ObjectMethod',
]
export const isFunction = ({ type }: Syntax): boolean => FUNCTIONS.includes(type)

/** All nodes below one that belong to the same function. */
export function* ownNodes(node: Syntax): Generator<Syntax> {
  for (const child of childrenOf(node)) {
    yield child
    // What a class computes for its keys and its base is the function's own.
    if (!isFunction(child)) yield* ownNodes(child)
  }
}
