/** `vondle completion`: a script that lets a shell complete the command's own words. */
import type { Command } from 'commander';
import { examples } from './new.ts';

interface Words {
  readonly command: string;
  readonly about: string;
  readonly options: readonly {
    readonly names: readonly string[];
    readonly about: string;
    readonly choices: readonly string[];
  }[];
}

function wordsOf(program: Command): Words[] {
  return program.commands.map((each) => ({
    command: each.name(),
    about: each.description().split(';')[0]!,
    options: [...each.options]
      .filter(({ hidden }) => !hidden)
      .map(({ short, long, description, argChoices }) => ({
        names: [short, long].filter((name) => name !== undefined && name !== null) as string[],
        about: description,
        choices: argChoices ?? [],
      })),
  }));
}

/** @returns the script for a shell */
export function completion(program: Command, shell: 'bash' | 'zsh' | 'fish'): string {
  const words = wordsOf(program);
  const names = ['empty', ...examples().map(({ id }) => id)];
  if (shell === 'fish') return fish(words, names);
  const script = bash(words, names);
  return shell === 'zsh' ? `autoload -U +X bashcompinit && bashcompinit\n${script}` : script;
}

function bash(words: readonly Words[], names: readonly string[]): string {
  const cases = words.flatMap(({ command, options }) =>
    options.flatMap(({ names: flags, choices }) =>
      choices.length
        ? [
            `    ${flags.map((flag) => `"${command} ${flag}"`).join('|')}) COMPREPLY=($(compgen -W "${choices.join(' ')}" -- "$cur")); return;;`,
          ]
        : [],
    ),
  );
  const flags = words.map(
    ({ command, options }) => `    ${command}) words="${options.flatMap((each) => each.names).join(' ')}";;`,
  );
  return `_vondle() {
  local cur="\${COMP_WORDS[COMP_CWORD]}" prev="\${COMP_WORDS[COMP_CWORD-1]}" command="\${COMP_WORDS[1]}" words=""
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W "${words.map(({ command }) => command).join(' ')} --help" -- "$cur")); return
  fi
  case "$command $prev" in
${cases.join('\n')}
    "new new") COMPREPLY=($(compgen -W "${names.join(' ')}" -- "$cur")); return;;
    "completion completion") COMPREPLY=($(compgen -W "bash zsh fish" -- "$cur")); return;;
  esac
  case "$command" in
${flags.join('\n')}
  esac
  case "$cur" in
    -*) COMPREPLY=($(compgen -W "$words --help" -- "$cur"));;
    *) COMPREPLY=($(compgen -f -- "$cur"));;
  esac
}
complete -o filenames -F _vondle vondle
`;
}

function fish(words: readonly Words[], names: readonly string[]): string {
  const quoted = (text: string) => `'${text.replaceAll("'", "\\\\'")}'`;
  const lines = words.flatMap(({ command, about, options }) => [
    `complete -c vondle -n __fish_use_subcommand -f -a ${command} -d ${quoted(about)}`,
    ...options.map(({ names: flags, about: what, choices }) => {
      const short = flags.find((flag) => !flag.startsWith('--'));
      const long = flags.find((flag) => flag.startsWith('--'));
      return [
        `complete -c vondle -n '__fish_seen_subcommand_from ${command}'`,
        ...(short ? [`-s ${short.slice(1)}`] : []),
        ...(long ? [`-l ${long.slice(2)}`] : []),
        `-d ${quoted(what)}`,
        ...(choices.length ? [`-x -a ${quoted(choices.join(' '))}`] : []),
      ].join(' ');
    }),
  ]);
  return `${lines.join('\n')}
complete -c vondle -n '__fish_seen_subcommand_from new' -f -a ${quoted(names.join(' '))}
complete -c vondle -n '__fish_seen_subcommand_from completion' -f -a 'bash zsh fish'
`;
}
