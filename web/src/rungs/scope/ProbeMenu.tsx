import Dropdown from 'react-bootstrap/Dropdown';
import { useNavigate } from 'react-router';
import { SCENARIO_WORDS, SCENARIOS, type Brief, type Corner, type Scenario } from '@yundro/core';
import { setScope, type Inputs } from './settings.ts';

const NODES: readonly (readonly [lane: string, name: string])[] = [
  ['output', 'at the output'],
  ['node', 'at the switch node'],
  ['inductor', 'of the inductor’s current'],
  ['input', 'of the input’s current'],
  ['control', 'at the amplifier’s output'],
];

/** What a probe would show at a node: the expected picture at a corner, healthy, or with a fault. */
export function ProbeMenu({ brief, corner }: { brief: Brief; corner: Corner }) {
  const navigate = useNavigate();
  const { min, max } = brief.inputVoltage;
  const inputs: Inputs = corner.inputVoltage === min ? 'min' : corner.inputVoltage === max ? 'max' : 'nominal';
  const look = (scenario: Scenario, lanes: readonly string[]): void => {
    setScope({ scenario, lanes, inputs, outputCurrent: corner.outputCurrent, plane: false });
    void navigate('../scope', { relative: 'path' });
  };
  return (
    <Dropdown>
      <Dropdown.Toggle size="sm" variant="link" title="What would I see here?">
        Probe here
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Header>A probe, healthy,</Dropdown.Header>
        {NODES.map(([lane, name]) => (
          <Dropdown.Item key={lane} onClick={() => look('steady-state', [lane])}>
            {name}
          </Dropdown.Item>
        ))}
        <Dropdown.Divider />
        <Dropdown.Header>Output, switch node and inductor with</Dropdown.Header>
        {SCENARIOS.filter((one) => SCENARIO_WORDS[one].group === 'faults').map((one) => (
          <Dropdown.Item key={one} onClick={() => look(one, ['output', 'node', 'inductor'])}>
            {SCENARIO_WORDS[one].name.toLowerCase()}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
