import { writeFileSync } from 'node:fs'
import { recipeJsonSchema } from '../server/src/channels/channelsRoutes.js'

/** Writes those pages of docs that follow from the code: `npm run docs`. */
writeFileSync(new URL('../docs/recipe.schema.json', import.meta.url), JSON.stringify(recipeJsonSchema(), null, 2) + '\n')
