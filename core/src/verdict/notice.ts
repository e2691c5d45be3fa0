/** A remark with its number in words: a warning, or a caution about a hazard. */
export interface Notice {
  id: string;
  message: string;
}

/** What every caution ends with. */
export const DEFER = 'Local codes and a qualified person decide; Yundro computes, it does not certify.';
