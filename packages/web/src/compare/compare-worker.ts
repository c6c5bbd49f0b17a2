import { expose } from 'comlink'
import { Comparer } from './comparer.ts'

expose(new Comparer())
