/** What the program can speak, by tag, English first: put in by the build. */
declare const LANGUAGES: string[];
