/** Markers put into code: it does what it did, whatever it is written in; and every run has its span. */
import { expect } from 'chai'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createContext, runInContext } from 'node:vm'
import { markSource } from '../src/marks/mark-source.ts'
import { NodeMarker } from '../src/marks/node-marker.ts'

/** Runs code with what its marked functions call, and tells what was called; everything entered is left. */
function play(text: string): { result: unknown; calls: string[]; open: number } {
  const calls: string[] = []
  let open = 0
  const registry = (names: string[]) =>
    Object.assign(
      (index: number) => {
        calls.push(names[index]!)
        return ++open
      },
      {
        leave: () => void open--,
        run: (index: number) => {
          calls.push(names[index]!)
          open++
          let here = true
          const away = () => {
            if (here) open--
            here = false
          }
          const back = () => {
            calls.push(`${names[index]!} again`)
            open++
            here = true
          }
          return { away, back, end: away }
        },
      },
    )
  const context = createContext({ registry, out: [], setTimeout })
  const result: unknown = runInContext(text, context)
  return { result, calls, open }
}

const marked = (text: string, file = 'game.js') =>
  markSource(text, file, (functions) => `registry(${JSON.stringify(functions.map(({ name }) => name))})`)

/** Each ends with the value that tells whether it still does what it did. */
const SCRIPTS: Record<string, string> = {
  declarations: 'function add(a, b = 2) { return a + b }\n[add(1), add(1, 1), add.length, add.name]',
  'one-line bodies':
    'function f() { return 1 } const g = () => 2, h = x => x, i = (a, ...b) => b; [f(), g(), h(3), i(1, 2)]',
  'arrows on lines of their own':
    'const f = x =>\n  x * 2\nconst g = () =>\n  // what\n  ({ a: 1 })\n;[f(2), g()]',
  'objects, lists, sequences':
    'const f = () => ({ a: [1] }), g = () => (1, 2), h = (a) => a ? (b) => b : null; [f(), g(), h(1)(2), h(0)]',
  'curried, in one place': 'const f = a => b => c => a + b + c; f(1)(2)(3)',
  'comments before a body': 'const f = (a /* => */ = () => 3) /* x */ => /* => */ a(); f()',
  directives:
    '"use strict"\nfunction f() { "use strict"; return this }\nconst g = function () { return this }\n;[f(), g()]',
  'sloppy this and arguments':
    'function f(a) { arguments[0] = 7; return [this === globalThis, a, arguments.length] } f(1, 2)',
  'function names':
    'const o = { a() { return 1 }, b: () => 2, c: function d() { return typeof d } }; [o.a.name, o.b.name, o.c.name, o.c()]',
  exceptions:
    'function f() { throw new TypeError("x") } let got; try { f() } catch (e) { got = e.message } got',
  'finally that returns':
    'function f() { try { return 1 } finally { return 2 } } function g() { for (;;) { try { return 1 } finally { break } } return 3 } [f(), g()]',
  recursion: 'function f(n) { return n < 2 ? n : f(n - 1) + f(n - 2) } f(12)',
  'labels and breaks':
    'function f() { a: for (let i = 0; ; i++) { for (;;) { if (i > 2) break a; continue a } } return "out" } f()',
  hoisting:
    'const early = later(); function later() { return inner(); function inner() { return typeof x; var x } } early',
  'functions before the first line': 'var got = f(); function f() { return 5 } got',
  classes: `class A { #n = 1; static s = 0; constructor(n) { this.#n = n; A.s++ } get n() { return this.#n } set n(v) { this.#n = v }
    #secret() { return this.#n * 2 } open() { return this.#secret() } static make(n) { return new this(n) } ['computed' + 1]() { return 9 } 'quoted name'() { return 8 } }
    const a = A.make(3); a.n = 4; [a.n, a.open(), A.s, a.computed1(), a['quoted name'](), A.name, A.length]`,
  'super and new.target': `class A { constructor() { this.target = new.target.name } hi() { return 'a' } static who() { return 'A' } }
    class B extends A { constructor() { super(); this.own = 1 } hi() { return super.hi() + 'b' } static who() { return super.who() + 'B' } field = () => super.hi() }
    const b = new B(); [b.target, b.own, b.hi(), B.who(), b.field(), (() => { try { B() } catch (e) { return e.constructor.name } })()]`,
  'super in objects': 'const o = { __proto__: { f() { return 1 } }, f() { return super.f() + 1 } }; o.f()',
  prototypes:
    'function A(n) { if (!new.target) return new A(n); this.n = n } A.prototype.get = function () { return this.n }; A.make = (n) => A(n); [A.make(4).get(), new A(5).get(), A(6) instanceof A]',
  'getters, setters, generators':
    'const o = { get a() { return 1 }, set a(v) { this.b = v }, *g() { yield 1; yield 2 } }; o.a = 5; [o.a, o.b, [...o.g()]]',
  'static blocks and fields':
    'class A { static n = (() => 3)(); static { var x = 4; this.m = x } f = function () { return this.n2 }; n2 = 6 } [A.n, A.m, new A().f()]',
  'inner functions that share names':
    'function f(a) { var g = 1; function g() { return 2 } function a() { return 3 } return [typeof g, typeof a] } f(9)',
  'two inner functions of one name':
    'function f() { function g() { return 1 } function g() { return 2 } return g() } f()',
  'inner function as a parameter':
    'function f(g, h = () => typeof g) { function g() {} return [typeof g, h()] } f(1)',
  destructuring:
    'const { f = () => 1, ...r } = { a: 2 }; function g({ a = () => 3, b: [c] = [4] } = {}) { return [a(), c] } [f(), r.a, g()]',
  'let in loops':
    'const fs = []; function f() { for (let i = 0; i < 3; i++) fs.push(() => i); return fs.map((g) => g()) } f()',
  'templates and tags':
    'const t = (s, ...v) => s.raw.join("|") + v; const f = (x) => `a${`b${x}`}`; [t`x${1}y`, f(2)]',
  'no semicolons': 'let a = 1\nconst f = () => a\nconst g = () => { return a }\n;[f(), g()].join()',
  'empty bodies': 'function f() {} const g = () => {}; [f(), g(), f.name]',
  'names that would clash':
    'const $lapsus = 4, $lapsus_run = 5; function f() { return $lapsus + $lapsus_run } f()',
  eval: 'function f(a) { eval("var b = a + 1"); return b } f(1)',
  'with accessors on the class': 'class A { static get n() { return 1 } static f() { return A.n } } A.f()',
  'optional chaining and nullish': 'const f = (o) => o?.a?.(1) ?? "none"; [f(null), f({ a: (x) => x + 1 })]',
  'big bodies of switch':
    'function f(x) { switch (x) { case 1: { return "a" } default: return "b" } } [f(1), f(2)]',
  'numbers in a row': 'const f = () => 1\n/* c */\nconst re = /x/g, g = () => /y/.test("y"); [f(), g()]',
}

/** Each gives a promise of the value. */
const ASYNC: Record<string, string> = {
  awaits: 'async function f(x) { const a = await x; return a + await 2 } f(1)',
  'await within await': 'const g = async (x) => x + 1, f = async () => await g(await g(await g(0))); f()',
  'await await': 'async function f() { return await await 3 } f()',
  'lines without semicolons':
    'async function f() {\n  let a = 1\n  await null\n  a++\n  await (a, null)\n  const b = a\n  await\n  null\n  return b }\nf()',
  'await in parentheses, calls, members':
    'const o = { async m() { return { n: [4] } } }; (async () => { return (await o.m()).n[0] + (await o.m())?.n[0] + [await 1, await 2].length })()',
  'rejections and finally': `async function bad() { await null; throw new Error('no') }
    async function f() { const got = []; try { await bad() } catch (e) { got.push(e.message); await 0 } finally { got.push('f'); await 0 } return got } f()`,
  'in loops and conditions':
    'const f = async (n) => { let s = 0; while (await (n-- > 0)) s += await (n % 2 ? f(0) : 1); return s || -0 + (await 0) }; f(5)',
  'async arrows of one expression':
    'const f = async x => await x, g = async () => ({ a: await f(1) }), h = async () => async () => await 5; (async function run() { return [(await g()).a, await (await h())()] })()',
  'for await is left as it is':
    'async function f() { let s = 0; for await (const x of [1, 2]) s += x; return s } f()',
  'async generators are left as they are':
    'async function* g() { yield 1; yield await 2 } async function f() { const all = []; for await (const x of g()) all.push(x); return all } f()',
  'many at once': `const out = []; async function step(n) { out.push('in' + n); await null; out.push('mid' + n); await null; out.push('out' + n); return n }
    (async () => [await Promise.all([step(1), step(2), step(3)]), out])()`,
  'order of turns': `const out = []; async function f() { out.push(1); await 0; out.push(3); await new Promise((r) => setTimeout(r, 1)); out.push(6) }
    const p = f(); Promise.resolve().then(() => out.push(4)); Promise.resolve().then(() => 0).then(() => out.push(5)); out.push(2); p.then(() => out)`,
  'async methods with super':
    'class A { async f() { return 1 } } class B extends A { async f() { return (await super.f()) + 1 } } new B().f()',
  'this and arguments':
    'async function f() { await 0; return [arguments.length, this.x] } f.call({ x: 7 }, 1, 2)',
}

describe('marked code', () => {
  for (const [what, text] of Object.entries(SCRIPTS)) {
    it(`does what it did: ${what}`, () => {
      const before = play(text).result
      const code = marked(text)?.code.toString() ?? text
      const { result, open } = play(code)
      expect(JSON.stringify(result)).to.equal(JSON.stringify(before))
      expect(open).to.equal(0)
      // Nor does it where nobody records.
      const nothing = markSource(text, 'game.js', () => 'null')?.code.toString() ?? text
      expect(JSON.stringify(play(nothing).result)).to.equal(JSON.stringify(before))
    })
  }

  for (const [what, text] of Object.entries(ASYNC)) {
    it(`does what it did, bit by bit: ${what}`, async () => {
      const before = await (play(text).result as Promise<unknown>)
      const code = marked(text)?.code.toString() ?? text
      const played = play(code)
      expect(JSON.stringify(await (played.result as Promise<unknown>))).to.equal(JSON.stringify(before))
      const nothing = markSource(text, 'game.js', () => 'null')?.code.toString() ?? text
      expect(JSON.stringify(await (play(nothing).result as Promise<unknown>))).to.equal(
        JSON.stringify(before),
      )
    })
  }

  it('has a span for every run, by the name that the code has', () => {
    const text = `
      function tick() { moths.map((moth) => moth.update()); seek(1) }
      const seek = (n) => n
      class Moth { constructor() { this.n = 0 } update() { return this.#steer() } #steer() { return 1 } static make() { return new Moth() } glow = () => 2 }
      const Lamp = class { shine() { return 3 } }
      const lamps = { flicker() { return 4 }, dim: () => 5 }
      Moth.prototype.late = function () { return 6 }
      const moths = [Moth.make()]
      tick(); moths[0].glow(); new Lamp().shine(); lamps.flicker(); lamps.dim(); moths[0].late()`
    const { calls, open } = play(marked(text, 'src/moths.js')!.code.toString())
    expect(calls).to.deep.equal([
      ...['Moth.make', 'Moth.constructor', 'moths.tick', 'Moth.update', 'Moth.#steer', 'moths.seek'],
      ...['Moth.glow', 'Lamp.shine', 'lamps.flicker', 'lamps.dim', 'Moth.late'],
    ])
    expect(open).to.equal(0)
  })

  it('gives the thread away outside its spans, and goes on in one', async () => {
    const text =
      'async function f() { seen.push(1); await null; seen.push(2); await null } const seen = []; f()'
    const played = play(marked(text)!.code.toString())
    // Away at once, before anything else runs.
    expect(played.open).to.equal(0)
    await (played.result as Promise<unknown>)
    expect(played.calls).to.deep.equal(['game.f', 'game.f again', 'game.f again'])
  })

  it('stays on its lines, whichever it is', () => {
    for (const text of [...Object.values(SCRIPTS), ...Object.values(ASYNC)]) {
      const code = marked(text)?.code.toString() ?? text
      expect(code.split('\n').length).to.equal(text.split('\n').length)
    }
    const { functions } = marked('\n\nconst a = 1\n  function f() { return a }\n')!
    expect(functions).to.deep.equal([{ name: 'game.f', line: 4, column: 3 }])
  })

  it('has its own map in place of the one that its last line names, and of nothing else', () => {
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-marked-'))
    writeFileSync(join(folder, 'a.map'), '{"version":3,"sources":["a.ts"],"mappings":"AAAA"}')
    const text = 'export function f() { return "a.map" }\n//# sourceMappingURL=a.map\n'
    const marker = new NodeMarker({ globs: ['**'], folder, game: '' }, () => {})
    const code = marker.mark(text, join(folder, 'a.js'))
    rmSync(folder, { recursive: true })
    expect(code).to.contain('return "a.map"')
    expect(code).to.match(/\n\/\/# sourceMappingURL=data:application\/json;base64,[\w+/=]+\n$/)
  })

  it('names what it leaves as it is, and why', () => {
    const text = `function* g() { yield 1 }
      async function w() { for await (const x of []) x }
      function f(a) { function a() {} return a }
      function ok() { return 1 }`
    expect(marked(text)!.leftAsItIs).to.deep.equal([
      { name: 'game.g', line: 1, why: 'it is a generator' },
      { name: 'game.w', line: 2, why: 'it waits in a loop of its own kind (for await)' },
      { name: 'game.f', line: 3, why: 'names of inner functions stand for something else as well' },
    ])
    expect(marked('const x = [1, 2].map((y) => y)')).to.equal(null)
    expect(() => marked('function f( {')).to.throw(SyntaxError, /\(1:1\d\)/)
  })

  it('is read in every way that games are written', () => {
    const cases: [string, string, string[]][] = [
      [
        'a.ts',
        'class A<T> { x: T; constructor(private y: T) { this.x = y } get<U>(a: U): U { return a } abstract?: 1 }',
        ['A.constructor', 'A.get'],
      ],
      [
        'a.ts',
        'class B extends A { constructor(private n: number) { super(); this.n++ } f(): void { this.n++ } }',
        ['B.f'],
      ],
      [
        'a.mts',
        'export const f = <T>(a: T): T => a\nexport default function () { return 1 }',
        ['a.f', 'a.default'],
      ],
      [
        'a.cts',
        'function over(a: string): void\nfunction over(a: number): void\nfunction over(a: any) { a }',
        ['a.over'],
      ],
      ['a.tsx', 'export const View = (p: { a: 1 }) => <b>{p.a}</b>', ['a.View']],
      ['a.jsx', 'const View = () => <b onClick={() => 1} />', ['a.View']],
      ['a.mjs', 'await 1\nexport async function f() { await 2 }', ['a.f']],
      [
        'a.cjs',
        '#!/usr/bin/env node\n"use strict"\nexports.go = function () { return 1 }\nmodule.exports = { stop() { return 2 } }\nmodule.exports.x = () => 3',
        ['a.go', 'a.stop', 'a.x'],
      ],
    ]
    for (const [file, text, names] of cases) {
      const { functions, code } = marked(text, file)!
      expect(functions.map(({ name }) => name).sort(), file).to.deep.equal([...names].sort())
      expect(code.toString().startsWith('#!')).to.equal(text.startsWith('#!'))
    }
  })
})
