import type { Scenario } from '@yundro/core';
import { useDocument } from '../../stores/designStore.ts';
import { createSettings } from '../../stores/settings.ts';
import type { Capture } from './capture.ts';

/** Which inputs a scenario is run at. */
export type Inputs = 'min' | 'nominal' | 'max' | 'all';

/** What the Scope is set to; it stays while other rungs are looked at. */
export interface ScopeSettings {
  scenario: Scenario;
  inputs: Inputs;
  outputCurrent: number | undefined;
  duration: number | undefined;
  duty: number | undefined;
  rate: number | undefined;
  /** the step of the load in words, of those that are usual; the brief's where undefined */
  step: string | undefined;
  release: boolean;
  lanes: readonly string[];
  plane: boolean;
  against: number | undefined;
  capture: Capture | undefined;
  /** s by which the capture is moved, and which of its channels is shown */
  shift: number;
  channel: number;
}

/** A capture as it is shown: one of its channels, moved along. */
export interface Shifted extends Capture {
  channel: number;
  shift: number;
}

export const useScope = createSettings<ScopeSettings>(
  'scope',
  {
    scenario: 'load-step',
    inputs: 'nominal',
    outputCurrent: undefined,
    duration: undefined,
    duty: undefined,
    rate: undefined,
    step: undefined,
    release: false,
    lanes: ['output', 'inductor', 'node'],
    plane: false,
    against: undefined,
    capture: undefined,
    shift: 0,
    channel: 0,
  },
  ['capture', 'shift', 'channel'],
  useDocument,
);

export const setScope = (change: Partial<ScopeSettings>): void => useScope.setState(change);
