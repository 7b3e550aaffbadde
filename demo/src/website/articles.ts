/** A long article of the journal. */
export interface Article {
  slug: string
  title: string
  lead: string
  paragraphs: string[]
}

/** The journal. */
export const ARTICLES: Article[] = [
  {
    slug: 'comet',
    title: 'A comet over the ridge',
    lead: 'For three weeks in spring a visitor from the far edge of the solar system hung over the pines. Here is how we followed it.',
    paragraphs: [
      'It began as a smudge. On the fourth of March Inés, who keeps the dome on weekdays, noticed that one of the stars in her test frame was not a point. She took it for dew on the glass, cleaned it, and took the frame again. The smudge had moved.',
      'A comet is mostly ice and dust, a few kilometres across, and most of them spend their lives so far away that no telescope on a mountain will ever show them. Once in a while one falls inward. When sunlight reaches it the ice does not melt, it turns to gas at once, and takes the dust with it. That is what we see: never the body itself, only what it loses.',
      'The tail does not trail behind like smoke behind a train. It points away from the sun, whatever the direction of travel, so that on its way out again a comet flies tail first. Ours had two, as many do: a straight bluish one of gas, and a broad bent one of dust that kept the colour of straw.',
      'We opened the terrace every clear night. People brought blankets, and somebody brought soup. On the ninth night the cloud broke at two in the morning and forty people who had given up came back up the track in their slippers.',
      'What would we advise for the next one? Get out of town, give your eyes twenty minutes, and leave the telescope at home: a comet is wide, and binoculars show it best. And write down what you saw before you look at any photograph. The photograph will win otherwise.',
      'It is on its way out now, past Jupiter. It will be back in about four thousand years. We have pencilled it in.',
    ],
  },
  {
    slug: 'reading-the-winter-sky',
    title: 'Reading the winter sky',
    lead: 'Six bright stars make a ring as wide as half the heavens. Learn it once and you will never be lost in winter again.',
    paragraphs: [
      'Start with the hunter, because everybody can. Three stars in a row, close together and equally bright, make his belt. They rise in the east after supper in December and stand in the south by midnight.',
      'Follow the belt down and to the left and you come to the brightest star of the night. It flickers in all colours when it is low, which is not the star but our own air, stirring. Follow the belt up and to the right instead and you come to an orange star in a loose V: the eye of the bull.',
      'Now go round. From the bull up to a yellow star almost overhead, on to the twins, who stand close and look alike but are not: the lower one is warmer in colour. From there down to a lonely star that announces the brightest one, and home. That is the ring.',
      'Inside the ring, a little off centre, shines the hunter’s shoulder, a star so large that if it stood in place of the sun we should be inside it. Some years it dims, and newspapers write that it is about to burst. It may: tonight, or in a hundred thousand years.',
      'Below the belt hangs the sword, and the middle star of the sword is not a star. Look beside it rather than at it, because the edge of the eye sees better in the dark. That faint breath of light is a cloud in which stars are being made at this moment.',
      'Come up on a winter night and we will show it to you through the big glass. Bring more clothes than you think. The sky is free, and the soup is warm.',
    ],
  },
]
