import { shellWord } from '../../terminal/escapes.js'

/** Scripts for each shell. They ask the command for completions, and pass typed words on without running them. */
const scripts = {
  bash: `# mappa in bash. In ~/.bashrc: eval "$(mappa completion bash)"
_mappa() {
  local kind value about
  COMPREPLY=()
  {
    read -r kind
    while IFS=$'\\t' read -r value about; do COMPREPLY+=("$value"); done
  } < <(@command@ completion bash -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
  case $kind in
    files) compopt -o default ;;
    folders) compopt -o dirnames ;;
  esac
}
complete -F _mappa mappa
`,
  zsh: `#compdef mappa
# mappa in zsh. In ~/.zshrc, after compinit: eval "$(mappa completion zsh)"
_mappa() {
  local -a answer found
  answer=("\${(@f)$(@command@ completion zsh -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  case $answer[1] in
    files) _files ;;
    folders) _files -/ ;;
    *)
      found=("\${(@)answer[2,-1]//:/\\\\:}")
      found=("\${(@)found/$'\\t'/:}")
      _describe mappa found
      ;;
  esac
}
compdef _mappa mappa
`,
  fish: `# mappa in fish. In ~/.config/fish/config.fish: mappa completion fish | source
function __mappa_complete
    set -l typed (commandline -opc)
    set -l answer (command @command@ completion fish -- $typed[2..-1] (commandline -ct) 2>/dev/null)
    switch "$answer[1]"
        case files
            __fish_complete_path (commandline -ct)
        case folders
            __fish_complete_directories (commandline -ct)
        case '*'
            printf '%s\\n' $answer[2..-1]
    end
end
complete -c mappa -f -a '(__mappa_complete)'
`,
} as const

/** A supported shell. */
export type Shell = keyof typeof scripts

/**
 * The script for a shell. `command` is asked by its whole path: what is typed in front may be a file of a project, and a key that is
 * pressed must run none.
 */
export function scriptFor(shell: Shell, command: readonly string[]): string {
  const quoted = command.map((word) => (shell === 'fish' ? fishQuoted(word) : shellWord(word))).join(' ')
  return scripts[shell].replace('@command@', () => quoted)
}

function fishQuoted(word: string): string {
  return `'${word.replace(/[\\']/g, '\\$&')}'`
}
