/** A booking of a star night, or something bought in the shop. */
export interface Order {
  number: string
  /** The night, or what was bought. */
  night: string
  seats: number
  /** Euro. */
  total: number
}

/** What a seat costs, in euro. */
export const SEAT_PRICE = 18

/** The bookings made since the demo was started. */
export class Orders {
  private readonly orders = new Map<string, Order>()
  private next: number

  /** @param first number of the first order */
  constructor(first: number) {
    this.next = first
  }

  /** Books seats. */
  book(night: string, seats: number): Order {
    const order = { number: `Q-${this.next++}`, night, seats, total: seats * SEAT_PRICE }
    this.orders.set(order.number, order)
    return order
  }

  /** Sells something from the shop for an amount in euro. */
  sell(what: string, total: number): Order {
    const order = { number: `S-${this.next++}`, night: what, seats: 0, total }
    this.orders.set(order.number, order)
    return order
  }

  /** An order by its number. */
  find(number: string): Order | undefined {
    return this.orders.get(number)
  }
}
