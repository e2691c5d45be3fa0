/** What each loss is called where people read it. */
const WORDS: Readonly<Record<string, string>> = {
  controlSwitchConduction: 'Control switch, conduction',
  controlSwitchOverlap: 'Control switch, overlap',
  outputCharge: 'Output charge',
  reverseRecovery: 'Reverse recovery',
  rectifierConduction: 'Rectifier, conduction',
  deadTimeConduction: 'Dead time, body diode',
  gateDrive: 'Gate drive',
  boostControlSwitchConduction: 'Boost switch, conduction',
  boostControlSwitchOverlap: 'Boost switch, overlap',
  boostOutputCharge: 'Boost leg, output charge',
  boostReverseRecovery: 'Boost leg, reverse recovery',
  boostRectifierConduction: 'Boost rectifier, conduction',
  boostGateDrive: 'Boost leg, gate drive',
  windingConduction: 'Inductor winding',
  core: 'Inductor core',
  diodeLeakage: 'Diode leakage',
  boostDiodeLeakage: 'Boost diode, leakage',
  snubber: 'Snubber',
  currentSense: 'Current sense',
  outputLeads: 'Output leads',
  controller: 'Controller',
  outputCapacitorEsr: 'Output bank, ESR',
  inputCapacitorEsr: 'Input bank, ESR',
  outputFilterWinding: 'Output filter, winding',
  outputFilterEsr: 'Output filter, ESR',
  sourceResistance: 'Source and leads',
  preload: 'Preload',
};

/** The name of a loss in words; its own where none is known. */
export function lossWords(name: string): string {
  return WORDS[name] ?? name;
}
