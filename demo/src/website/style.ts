/** The look of the observatory's website: a night sky over a mountain ridge. */
export const STYLE = `
@font-face { font-family: Sky; src: url(/fonts/fraunces.woff2) format('woff2'); font-weight: 100 900; font-display: swap; }
@font-face { font-family: Text; src: url(/fonts/figtree.woff2) format('woff2'); font-weight: 300 900; font-display: swap; }
* { box-sizing: border-box; }
body { margin: 0; font: 17px/1.6 Text, system-ui, sans-serif; color: #1d2436; background: #f7f4ec; }
a { color: #7a3b12; }
header { background: #10172b; color: #f3e9d2; padding: 18px 6vw; display: flex; flex-wrap: wrap; gap: 8px 28px; align-items: baseline; }
header .name { font: 600 22px Sky, serif; color: #f3e9d2; text-decoration: none; margin-right: auto; }
header nav { display: flex; flex-wrap: wrap; gap: 6px 22px; }
header nav a { color: #d9cfb8; text-decoration: none; }
header nav a:hover, header nav a:focus { color: white; text-decoration: underline; }
.sky { background: linear-gradient(#10172b, #27365e 62%, #7d5a63 92%, #c98a63); color: #fbf3e0; padding: 56px 6vw 0; overflow: hidden; position: relative; }
.sky h1 { font: 600 clamp(34px, 5vw, 60px)/1.1 Sky, serif; margin: 0 0 14px; max-width: 15em; }
.sky p { max-width: 36em; font-size: 19px; margin: 0 0 28px; }
.sky svg { display: block; width: calc(100% + 12vw); margin: 24px -6vw 0; height: 130px; }
.button, button { display: inline-block; font: 600 17px Text, sans-serif; background: #f0b64c; color: #1d2436; border: 0; border-radius: 999px; padding: 12px 28px; text-decoration: none; cursor: pointer; }
.button:hover, button:hover { background: #ffcb66; }
main { max-width: 1020px; margin: 0 auto; padding: 44px 24px 70px; }
main h1, main h2 { font-family: Sky, serif; line-height: 1.15; }
main h1 { font-size: 40px; margin-top: 0; }
.cards { display: grid; grid-template-columns: repeat(auto-fit, minmax(250px, 1fr)); gap: 22px; margin: 30px 0; }
.card { background: white; border-radius: 14px; padding: 24px; box-shadow: 0 1px 0 #e2d9c4; }
.card h3 { margin: 0 0 6px; font: 600 21px Sky, serif; }
.card p { margin: 0 0 14px; }
.price { font: 600 26px Sky, serif; }
form.fields { background: white; border-radius: 14px; padding: 28px; max-width: 560px; display: grid; gap: 16px; }
label { display: grid; gap: 5px; font-weight: 600; }
input, select, textarea { font: inherit; padding: 10px 12px; border: 1px solid #b9ae97; border-radius: 8px; background: #fffdf8; }
.error { background: #fbe3d8; border-left: 4px solid #b4532a; padding: 12px 16px; border-radius: 6px; }
.done { background: #dfeee0; border-left: 4px solid #3d7a4a; padding: 12px 16px; border-radius: 6px; }
article { max-width: 680px; font-size: 18px; }
footer { background: #10172b; color: #d9cfb8; padding: 36px 6vw; display: grid; gap: 18px; grid-template-columns: repeat(auto-fit, minmax(260px, 1fr)); }
footer a { color: #f0b64c; }
footer form { display: flex; gap: 8px; flex-wrap: wrap; }
footer input { flex: 1 1 180px; }
.small { font-size: 14px; opacity: .85; }
`
