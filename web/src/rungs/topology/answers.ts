import { compareTopologies, picturesOf, type Alternative, type Design, type LinearAlternative } from '@yundro/core';

/** What the table of topologies shows, without the whole results. */
export interface Compared {
  alternatives: (Omit<Alternative, 'result'> & { targets: string[] })[];
  linear: LinearAlternative;
  /** Hz, of the design as it stands, at its lowest */
  rightHalfPlaneZero: number | undefined;
  /** m² of die that every alternative shares out among its switches */
  silicon: number;
}

export const topologyAnswers = {
  compare(design: Design): Compared {
    const { alternatives, standing, silicon, linear } = compareTopologies(design);
    return {
      alternatives: alternatives.map(({ result, ...figures }) => ({
        ...figures,
        targets: result.targets.filter((target) => target.verdict !== 'met').map((target) => target.name),
      })),
      linear,
      rightHalfPlaneZero: standing.rightHalfPlaneZero,
      silicon,
    };
  },
  pictures: picturesOf,
};
