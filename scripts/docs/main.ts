/** `npm run docs`: writes what of the docs is made from the code. */
import { architecturePicture } from './picture.ts'
import { writePages } from './write.ts'

for (const page of [...(await writePages()), ...architecturePicture()]) console.log(page)
