/*
 * What inductors can be had. The energy ½·L·Isat² fixes the core's size, and the size the copper: a part of given
 * energy has a time constant L/R that grows with its fourth root (window, core area and turn length all following the
 * linear size, volume going with energy to three quarters), and sheds a heat that grows with its surface. Calibrated on
 * usual shielded parts and chokes from a microjoule to 0.1 J, which it meets within a factor of two. Common practice,
 * no source; the scaling is that of the core geometrical constant (McLyman; Erickson and Maksimović, ch. 14; recalled
 * from memory).
 */

/** The part that the scaling starts from: 4.7 µH, saturating at 11 A, 10 mm square. J, s, W, m³, F. */
const REFERENCE = { energy: 284e-6, timeConstant: 0.39e-3, heat: 1.2, volume: 400e-9, capacitance: 6e-12 };
const TIME_EXPONENT = 1 / 4;
const HEAT_EXPONENT = 1 / 2;
const VOLUME_EXPONENT = 3 / 4;
/** R falls with the volume of a core wound for the same L: with its linear size to the fifth. */
const RESISTANCE_BY_VOLUME = 5 / 3;

/** J that a part stores at its saturation current. */
export function storedEnergy(inductance: number, saturationCurrent: number): number {
  return (inductance * saturationCurrent ** 2) / 2;
}

/** Winding resistance of a part that can be had, and how large it is against the usual one. */
export interface Winding {
  /** Ω */
  resistance: number;
  /** times the usual volume for this energy; 1 where the usual part will do */
  size: number;
  /** W that a part of that size sheds for a usual temperature rise (40 K) */
  heat: number;
}

/** Sizes over the usual that are still wound rather than paralleled. */
const LARGEST_SIZE = 4;

/**
 * The winding of a part of usual size, or of as large a one as its heat and the loss wished for ask, at most four times.
 * @param rms A, worst over the line
 * @param wished W that the winding may lose
 */
export function windingFor(inductance: number, saturationCurrent: number, rms: number, wished: number): Winding {
  const energy = storedEnergy(inductance, saturationCurrent) / REFERENCE.energy;
  const usual = inductance / (REFERENCE.timeConstant * energy ** TIME_EXPONENT);
  const heat = REFERENCE.heat * energy ** HEAT_EXPONENT;
  const square = rms ** 2;
  const sizeFor = (limit: number, bySurface: number): number =>
    square * usual > limit ? ((square * usual) / limit) ** (1 / (RESISTANCE_BY_VOLUME + bySurface)) : 1;
  const size = Math.min(LARGEST_SIZE, Math.max(1, sizeFor(heat, 2 / 3), sizeFor(wished, 0)));
  return { resistance: usual / size ** RESISTANCE_BY_VOLUME, size, heat: heat * size ** (2 / 3) };
}

/** Hz; where a part of this inductance and energy resonates with its own winding capacitance. */
export function selfResonance(inductance: number, saturationCurrent: number): number {
  const energy = storedEnergy(inductance, saturationCurrent) / REFERENCE.energy;
  // the capacitance between turns follows the linear size
  const capacitance = REFERENCE.capacitance * Math.max(0.3, energy ** (VOLUME_EXPONENT / 3));
  return 1 / (2 * Math.PI * Math.sqrt(inductance * capacitance));
}

/** Part of a body that is core, its cross-section against its volume, and T that a ferrite stands when hot. */
const CORE_SHARE = 0.45;
const SECTION = 0.35;
const FLUX = 0.33;

/**
 * Core and heat of a part with some winding resistance: m², m³, turns at which its flux is full at the saturation current,
 * and W that it sheds for a usual temperature rise (40 K). A lower resistance than usual takes a larger body.
 */
export function usualBody(
  inductance: number,
  saturationCurrent: number,
  resistance: number,
): { area: number; volume: number; turns: number; heat: number } {
  const energy = storedEnergy(inductance, saturationCurrent) / REFERENCE.energy;
  const usual = inductance / (REFERENCE.timeConstant * energy ** TIME_EXPONENT);
  const size = Math.min(LARGEST_SIZE, Math.max(1, (usual / resistance) ** (1 / RESISTANCE_BY_VOLUME)));
  const volume = CORE_SHARE * REFERENCE.volume * energy ** VOLUME_EXPONENT * size;
  const area = SECTION * volume ** (2 / 3);
  return {
    area,
    volume,
    turns: Math.max(1, (inductance * saturationCurrent) / (FLUX * area)),
    heat: REFERENCE.heat * energy ** HEAT_EXPONENT * size ** (2 / 3),
  };
}
