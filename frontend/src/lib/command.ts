/** One argument as it is typed into a command. */
export const quoted = (part: string) => (/^[\w./{}=:@%+,-]+$/.test(part) ? part : `'${part.replaceAll("'", `'"'"'`)}'`);
