import { fraction, object, positive } from './fields.ts';

/** Decisions about how parts are chosen: how much of a rating is used; the usual where absent. */
export const partsShape = {
  derating: object({
    ringing: positive('Derating, ringing', '', 'times the voltage blocked, for what rings on top of it').optional(),
    ceramicVoltage: fraction('Derating, ceramic voltage').optional(),
    polymerVoltage: fraction('Derating, polymer voltage').optional(),
    electrolyticVoltage: fraction('Derating, electrolytic voltage').optional(),
    tantalumVoltage: fraction('Derating, tantalum voltage').optional(),
    filmVoltage: fraction('Derating, film voltage').optional(),
    switchCurrent: fraction('Derating, switch current').optional(),
    diodeCurrent: fraction('Derating, diode current').optional(),
    inductorCurrent: fraction('Derating, inductor current').optional(),
    capacitanceLeft: fraction('Derating, capacitance left', 'of a ceramic’s, under bias').optional(),
  }).optional(),
};
