// The filter over names: a star for any characters, a question mark for one; without either, part of a name.

export function wildcard(text: string): (name: string) => boolean {
  const wanted = text.trim();
  if (!wanted) return () => true;
  const whole = /[*?]/.test(wanted);
  const pattern = wanted
    .replace(/[\\^$.+()[\]{}|/]/g, "\\$&")
    .replaceAll("*", ".*")
    .replaceAll("?", ".");
  const expression = new RegExp(whole ? `^${pattern}$` : pattern, "isu");
  return (name) => expression.test(name);
}

/** Any of several filters apart by commas; a name may have commas itself. */
export function anyOf(text: string): (name: string) => boolean {
  const some = text
    .split(",")
    .filter((one) => one.trim() !== "")
    .map(wildcard);
  const whole = wildcard(text);
  return (name) => whole(name) || some.some((matches) => matches(name));
}
