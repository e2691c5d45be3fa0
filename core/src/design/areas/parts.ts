import { fraction, object, positive } from './fields.ts';

/** Decisions about how parts are chosen: how much of a rating is used; the usual where absent. */
export const partsShape = {
  derating: object({
    ringing: positive('times the voltage blocked, for what rings on top of it').optional(),
    ceramicVoltage: fraction('of the rated voltage').optional(),
    polymerVoltage: fraction('of the rated voltage').optional(),
    electrolyticVoltage: fraction('of the rated voltage').optional(),
    tantalumVoltage: fraction('of the rated voltage').optional(),
    filmVoltage: fraction('of the rated voltage').optional(),
    switchCurrent: fraction('of the rated current').optional(),
    diodeCurrent: fraction('of the rated current').optional(),
    inductorCurrent: fraction('of the rated current').optional(),
    capacitanceLeft: fraction('of a ceramic’s capacitance that must be left').optional(),
  }).optional(),
};
