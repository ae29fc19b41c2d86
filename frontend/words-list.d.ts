export function listed(): Record<string, (string | [string, string])[]>;
