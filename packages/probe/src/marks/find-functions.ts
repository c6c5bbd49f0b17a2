/** Which functions of a module get a marker, and what they are called. */
import { childrenOf, fieldOf, isFunction, nodeIn, nodesIn, ownNodes, textIn, type Syntax } from './syntax.ts'

interface Found {
  node: Syntax
  /** As the code is: `Moth.update`, or the module's name before that of a function. */
  name: string
}
export interface LeftAsItIs extends Found {
  why: string
}

export interface Functions {
  found: Found[]
  /** Functions with names that cannot be marked without changing what they do. */
  leftAsItIs: LeftAsItIs[]
}

/** Where a function stands: what it is called by, and whose it is. */
interface Around {
  /** Of the class that it is in; of the object that it is a property of. */
  owner: string | null
  /** What it is assigned to. */
  given: string | null
}

/**
 * @param module what functions without an owner are named after
 * @param isTyped whether what comes after puts fields of classes into constructors
 */
export function findFunctions(program: Syntax, module: string, isTyped: boolean): Functions {
  const functions: Functions = { found: [], leftAsItIs: [] }
  walk(program, { owner: null, given: null }, { module, isTyped }, functions)
  return functions
}

interface Source {
  module: string
  isTyped: boolean
}

function walk(node: Syntax, around: Around, source: Source, functions: Functions): void {
  if (isFunction(node)) note(node, around, source, functions)
  for (const child of childrenOf(node))
    walk(child, aroundChild(node, child, around, source.module), source, functions)
}

function note(
  node: Syntax,
  around: Around,
  { module, isTyped }: Source,
  { found, leftAsItIs }: Functions,
): void {
  const name = nameOf(node, around, module)
  const body = nodeIn(node, 'body')
  if (name === null || body === null) return
  // There is nothing in it to be timed.
  if (body.type === 'BlockStatement' && nodesIn(body, 'body').length === 0) return
  const why = whyNot(node, body, isTyped)
  if (why === null) found.push({ node, name })
  else leftAsItIs.push({ node, name, why })
}

/** Null for functions without a name, and for getters and setters, which look like values. */
function nameOf(node: Syntax, { owner, given }: Around, module: string): string | null {
  switch (node.type) {
    case 'ClassMethod':
    case 'ClassPrivateMethod':
    case 'ObjectMethod': {
      const kind = textIn(node, 'kind')
      const key = keyOf(node)
      if (key === null || kind === 'get' || kind === 'set') return null
      return `${owner ?? module}.${key}`
    }
    case 'FunctionDeclaration':
      return `${module}.${textIn(nodeIn(node, 'id'), 'name') ?? 'default'}`
    default: {
      const own = textIn(nodeIn(node, 'id'), 'name')
      if (given !== null) return given
      return own === null ? null : `${module}.${own}`
    }
  }
}

function keyOf(node: Syntax): string | null {
  const key = nodeIn(node, 'key')
  if (key === null) return null
  if (key.type === 'PrivateName') return `#${textIn(nodeIn(key, 'id'), 'name') ?? ''}`
  if (key.type === 'StringLiteral') return textIn(key, 'value')
  return key.type === 'Identifier' && fieldOf(node, 'computed') !== true ? textIn(key, 'name') : null
}

/** What a child is called by, where its parent says so. */
function aroundChild(node: Syntax, child: Syntax, around: Around, module: string): Around {
  const inside: Around = { owner: around.owner, given: null }
  switch (node.type) {
    case 'ClassDeclaration':
    case 'ClassExpression':
      return {
        owner: textIn(nodeIn(node, 'id'), 'name') ?? around.given?.split('.').at(-1) ?? module,
        given: null,
      }
    case 'ClassProperty':
    case 'ClassPrivateProperty':
    case 'ObjectProperty': {
      const key = keyOf(node)
      return child === nodeIn(node, 'value') && key !== null
        ? { owner: key, given: `${around.owner ?? module}.${key}` }
        : inside
    }
    case 'VariableDeclarator': {
      const name = textIn(nodeIn(node, 'id'), 'name')
      return child === nodeIn(node, 'init') && name !== null ? namedBy(child, name, module) : inside
    }
    case 'AssignmentExpression': {
      const name = targetName(nodeIn(node, 'left'), around.owner, module)
      return child === nodeIn(node, 'right') && name !== null ? { owner: ownerIn(name), given: name } : inside
    }
    case 'ExportDefaultDeclaration':
      return { owner: null, given: `${module}.default` }
    // As if it were not there.
    case 'ParenthesizedExpression':
    case 'TSAsExpression':
    case 'TSSatisfiesExpression':
      return around
    case 'ClassBody':
    case 'ObjectExpression':
      return inside
    default:
      return { owner: isFunction(node) || node.type === 'StaticBlock' ? null : around.owner, given: null }
  }
}

/** What is in a module's own object is the module's. */
const ownerIn = (name: string): string | null => {
  const last = name.split('.').at(-1)!
  return last === 'default' ? null : last
}

/** A class or an object is the owner of what is in it. */
const namedBy = (child: Syntax, name: string, module: string): Around => ({
  owner: name,
  given: isFunction(child) ? `${module}.${name}` : name,
})

/** `Moth.prototype.update = …` is `Moth.update`; `exports.update = …` the module's. */
function targetName(target: Syntax | null, owner: string | null, module: string): string | null {
  if (target === null) return null
  if (target.type === 'MemberExpression' && nodeIn(target, 'object')?.type === 'ThisExpression') {
    const property = textIn(nodeIn(target, 'property'), 'name')
    return property === null || fieldOf(target, 'computed') === true ? null : `${owner ?? module}.${property}`
  }
  const names = chainOf(target)
  if (names === null) return null
  if (names[0] === 'module' && names[1] === 'exports') names.splice(0, 2)
  else if (names[0] === 'exports' && names.length > 1) names.shift()
  const property = names.pop() ?? 'default'
  if (names.at(-1) === 'prototype') names.pop()
  return `${names.at(-1) ?? module}.${property}`
}

function chainOf(node: Syntax): string[] | null {
  if (node.type === 'Identifier') return [textIn(node, 'name')!]
  if (node.type !== 'MemberExpression' || fieldOf(node, 'computed') === true) return null
  const before = nodeIn(node, 'object')
  const names = before === null ? null : chainOf(before)
  const name = textIn(nodeIn(node, 'property'), 'name')
  return names === null || name === null ? null : [...names, name]
}

/** Why putting the body into a block, and giving the thread away within it, would change what it does. */
function whyNot(node: Syntax, body: Syntax, isTyped: boolean): string | null {
  if (fieldOf(node, 'generator') === true) return 'it is a generator'
  const own = [...ownNodes(body)]
  if (isTyped && textIn(node, 'kind') === 'constructor' && own.some(({ type }) => type === 'Super'))
    return 'it is the constructor of a class that extends another'
  if (fieldOf(node, 'async') === true) {
    if (own.some((one) => one.type === 'ForOfStatement' && fieldOf(one, 'await') === true))
      return 'it waits in a loop of its own kind (for await)'
    if (own.some((one) => one.type === 'VariableDeclaration' && textIn(one, 'kind') === 'await using'))
      return 'it waits where a block ends (await using)'
  }
  return body.type === 'BlockStatement' && clashes(node, body, own)
    ? 'names of inner functions stand for something else as well'
    : null
}

/** In a block, functions must not share a name with each other, a variable of the function, or a parameter. */
function clashes(node: Syntax, body: Syntax, own: readonly Syntax[]): boolean {
  const inner = nodesIn(body, 'body')
    .filter(({ type }) => type === 'FunctionDeclaration')
    .map((one) => textIn(nodeIn(one, 'id'), 'name')!)
  if (inner.length === 0) return false
  const others = new Set(['arguments'])
  for (const one of own)
    if (one.type === 'VariableDeclaration' && textIn(one, 'kind') === 'var')
      for (const declared of nodesIn(one, 'declarations')) namesBound(nodeIn(declared, 'id'), others)
  for (const parameter of nodesIn(node, 'params')) namesBound(parameter, others)
  return new Set(inner).size < inner.length || inner.some((name) => others.has(name))
}

/** Every name in a pattern; some more do no harm. */
function namesBound(pattern: Syntax | null, names: Set<string>): void {
  if (pattern === null) return
  const name = pattern.type === 'Identifier' ? textIn(pattern, 'name') : null
  if (name !== null) names.add(name)
  for (const child of childrenOf(pattern)) namesBound(child, names)
}
