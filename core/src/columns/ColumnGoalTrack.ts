import type { GoalTrack } from '../goals/countVisit.js'
import type { Columns } from './Columns.js'
import type { AddressPass } from './passOfAddresses.js'

/** Columns as a goal sees them. A class, so that the one loop that asks it is compiled for it. */
export class ColumnGoalTrack implements GoalTrack {
  private readonly times: Float64Array
  private readonly name: Uint32Array
  private readonly address: Uint32Array
  private readonly orders: Uint32Array

  constructor(
    { at, name, address, order }: Columns,
    private readonly pageView: number,
    private readonly wanted: number,
    private readonly pass: AddressPass | null,
    private readonly holds: (position: number) => boolean,
    private readonly steps: ((position: number) => boolean)[],
  ) {
    this.times = at
    this.name = name
    this.address = address
    this.orders = order
  }

  at(position: number): number {
    return this.times[position] as number
  }

  isPageView(position: number): boolean {
    return this.name[position] === this.pageView
  }

  isOfKind(position: number): boolean {
    if (this.name[position] !== this.wanted) return false
    return this.pass ? this.pass[this.address[position] as number] === 1 : this.holds(position)
  }

  meetsStep(step: number, position: number): boolean {
    return this.steps[step]!(position)
  }

  order(position: number): number | null {
    return this.orders[position] || null
  }
}
