import {
  absDependencies,
  addDependencies,
  create,
  divideDependencies,
  maxDependencies,
  minDependencies,
  multiplyDependencies,
  parseDependencies,
  powDependencies,
  sqrtDependencies,
  subtractDependencies,
  unaryMinusDependencies,
  type FactoryFunctionMap,
  type MathNode,
} from 'mathjs/number';

const FACTORIES = {
  absDependencies,
  addDependencies,
  divideDependencies,
  maxDependencies,
  minDependencies,
  multiplyDependencies,
  parseDependencies,
  powDependencies,
  sqrtDependencies,
  subtractDependencies,
  unaryMinusDependencies,
};
const { parse } = create(FACTORIES as FactoryFunctionMap);

/** A function beyond arithmetic, roots, least and largest: what it gives, and how it is set from its arguments as they are set. */
export interface SetFunction {
  call: (...values: number[]) => number;
  tex: (...set: string[]) => string;
}

/** An expression that was read: what it names, in order; its value; and its typeset form. Both come from the one text. */
export interface Expression {
  names: readonly string[];
  evaluate: (value: (name: string) => number, functions?: Readonly<Record<string, SetFunction>>) => number;
  /**
   * @param show how a name is set
   * @param base how that is set below an exponent
   */
  typeset: (
    show: (name: string) => string,
    base: (set: string) => string,
    functions?: Readonly<Record<string, SetFunction>>,
  ) => string;
}

const read = new Map<string, Expression>();

/**
 * Reads an expression of names, numbers, + − · / ^, sqrt, min, max and abs, and functions of its own.
 * @throws SyntaxError where the text is none
 */
export function expressionOf(text: string): Expression {
  const known = read.get(text);
  if (known) return known;
  const tree = parse(text);
  const compiled = tree.compile();
  const names = new Set<string>();
  tree.traverse((node, path) => {
    const name = nameOf(node);
    if (name !== undefined && path !== 'fn' && name !== 'pi') names.add(name);
  });
  const made: Expression = {
    names: [...names],
    evaluate: (value, functions = {}) => {
      const scope: Record<string, unknown> = { pi: Math.PI };
      for (const name of names) scope[name] = value(name);
      for (const [name, { call }] of Object.entries(functions)) scope[name] = call;
      return Number(compiled.evaluate(scope));
    },
    typeset: (show, base, functions = {}) => {
      const options = {
        parenthesis: 'auto' as const,
        handler: (node: MathNode): string | undefined => {
          const name = nameOf(node);
          if (name !== undefined) return name === 'pi' ? '\\pi ' : show(name);
          if (isPower(node) && nameOf(node.args[0]) !== undefined)
            return `${base(show(nameOf(node.args[0])!))}^{${node.args[1].toTex(options)}}`;
          if (!isCall(node)) return undefined;
          const own = functions[node.fn.name];
          return own?.tex(...node.args.map((argument) => argument.toTex(options)));
        },
      };
      return tree.toTex(options);
    },
  };
  read.set(text, made);
  return made;
}

function nameOf(node: MathNode): string | undefined {
  return 'isSymbolNode' in node && 'name' in node && typeof node.name === 'string' ? node.name : undefined;
}

function isPower(node: MathNode): node is MathNode & { args: [MathNode, MathNode] } {
  return 'op' in node && node.op === '^' && 'args' in node;
}

function isCall(node: MathNode): node is MathNode & { fn: { name: string }; args: MathNode[] } {
  return 'isFunctionNode' in node && 'args' in node;
}
