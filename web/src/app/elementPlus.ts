/** The parts of Element Plus that are used, each with its style; named here so that nothing else is shipped. */
export { ElSelectV2 } from 'element-plus/es/components/select-v2/index.mjs'
export { ElSwitch } from 'element-plus/es/components/switch/index.mjs'
import 'element-plus/es/components/select-v2/style/css'
import 'element-plus/es/components/switch/style/css'
