import type { ComponentType } from 'react';
import type { Design, Result, Target } from '@yundro/core';

/** A rung of the ladder, brought by its own folder: `screen` draws it, its answers join those of the worker. */
export interface Rung {
  id: string;
  name: string;
  /** the single key that leads to it */
  key: string;
  /** one live figure, or what it is about; its state stands before it */
  summary: (design: Design, result: Result | undefined, judged: readonly Target[]) => string;
  screen: ComponentType;
}
