import type { ComponentType } from 'react';
import type { Design, Result } from '@yundro/core';

/** A rung of the ladder, brought by its own folder: `screen` draws it, its answers join those of the worker. */
export interface Rung {
  id: string;
  name: string;
  /** the single key that leads to it; none where it is not built yet */
  key?: string;
  /** its state in a few figures */
  summary: (design: Design, result: Result | undefined) => string;
  screen: ComponentType;
}
