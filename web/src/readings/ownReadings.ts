import { inject, provide, ref, type InjectionKey, type Ref } from 'vue'

const NAMES: InjectionKey<Ref<string[]>> = Symbol('own readings')

/** Says which own readings the wiring on screen has, for all editors below. */
export function provideOwnReadings(names: Ref<string[]>): void {
  provide(NAMES, names)
}

/** The names of the own readings that editors here may offer. */
export function useOwnReadings(): Ref<string[]> {
  return inject(NAMES, ref([]))
}
