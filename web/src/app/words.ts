/** How a loss is spoken of, by what the totals it is made of hold. @param scopes each total's own words */
export function lostWords(scopes: readonly (string | undefined)[]): string {
  const known = scopes.filter((words) => words !== undefined);
  return known.length > 0 && known.every((words) => words === 'conduction only') ? 'lost in conduction' : 'lost';
}
