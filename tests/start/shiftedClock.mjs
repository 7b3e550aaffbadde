// Loaded before a server, sets its clock off by as many ms as the environment says: what a machine with a wrong clock does.
const by = Number(process.env.ACEQUIA_TEST_CLOCK ?? 0)
const RealDate = Date
globalThis.Date = class extends RealDate {
  constructor(...parts) {
    if (parts.length) super(...parts)
    else super(RealDate.now() + by)
  }
  static now() {
    return RealDate.now() + by
  }
}
