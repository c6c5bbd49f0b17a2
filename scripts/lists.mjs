/** `npm run lists`: writes the lists of kinds, remedies, questions and views anew. */
import { ensureLists } from './setup/lists.mjs'

for (const file of ensureLists()) console.log(file)
