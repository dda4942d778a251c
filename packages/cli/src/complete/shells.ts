/** What each shell is told: to ask `mappa complete SHELL -- words…`. What is typed is handed on as it is, and never run. */
export const scripts = {
  bash: `# mappa in bash. In ~/.bashrc: eval "$(mappa complete bash)"
_mappa() {
  local kind value about
  COMPREPLY=()
  {
    read -r kind
    while IFS=$'\\t' read -r value about; do COMPREPLY+=("$value"); done
  } < <("\${COMP_WORDS[0]}" complete bash -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
  case $kind in
    files) compopt -o default ;;
    folders) compopt -o dirnames ;;
  esac
}
complete -F _mappa mappa
`,
  zsh: `#compdef mappa
# mappa in zsh. In ~/.zshrc, behind compinit: eval "$(mappa complete zsh)"
_mappa() {
  local -a answer found
  answer=("\${(@f)$("\${words[1]}" complete zsh -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
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
  fish: `# mappa in fish. In ~/.config/fish/config.fish: mappa complete fish | source
function __mappa_complete
    set -l typed (commandline -opc)
    set -l answer (command $typed[1] complete fish -- $typed[2..-1] (commandline -ct) 2>/dev/null)
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

/** A shell that can be told. */
export type Shell = keyof typeof scripts
