/** How a loss is spoken of, by what the totals it is made of hold. @param scopes each total's own words */
export function lostWords(scopes: readonly (string | undefined)[]): string {
  return scopes.every((words) => words === undefined || words === 'conduction only') ? 'lost in conduction' : 'lost';
}
