using System.CommandLine;
using Furlough.Cli.Output;

namespace Furlough.Cli.Commands;

/// <summary>
/// `furlough completion`: what a shell needs to complete commands. The shell asks the program itself, so nothing can be
/// out of date.
/// </summary>
internal static class CompletionCommands
{
    // Options are offered to anyone who has begun one; files where nothing else is known.
    private const string Bash = """
        # For bash: eval "$(furlough completion bash)", in ~/.bashrc to have it always.
        _furlough() {
          local IFS=$'\n' word="${COMP_WORDS[COMP_CWORD]}" hidden='^[-/]'
          [[ $word == -* ]] && hidden='^/'
          COMPREPLY=($(compgen -W "$(furlough "[suggest:$COMP_POINT]" "$COMP_LINE" 2>/dev/null | grep -v "$hidden")" -- "$word"))
        }
        complete -o default -F _furlough furlough
        """;

    private const string Zsh = """
        # For zsh: eval "$(furlough completion zsh)", in ~/.zshrc after compinit to have it always.
        _furlough() {
          local hidden='^[-/]' found
          [[ $PREFIX == -* ]] && hidden='^/'
          found=(${(f)"$(furlough "[suggest:$CURSOR]" "$BUFFER" 2>/dev/null | grep -v "$hidden")"})
          if (( $#found )); then compadd -a found; else _files; fi
        }
        compdef _furlough furlough
        """;

    private const string Fish = """
        # For fish: furlough completion fish | source, in ~/.config/fish/config.fish to have it always.
        function __furlough_found
          set -l hidden '^([-/]|$)'
          string match -q -- '-*' (commandline -ct); and set hidden '^(/|$)'
          set -l found (furlough "[suggest:"(commandline -C)"]" (commandline) 2>/dev/null | string match -rv -- $hidden)
          if set -q found[1]; printf '%s\n' $found; else; __fish_complete_path (commandline -ct); end
        end
        complete -c furlough -f -a '(__furlough_found)'
        """;

    internal static Command Make() =>
        new("completion", "What a shell needs to complete commands")
        {
            For("bash", Bash),
            For("zsh", Zsh),
            For("fish", Fish),
        };

    private static Command For(string shell, string script)
    {
        var command = new Command(shell, $"Print it for {shell}");
        command.SetAction(_ => Terminal.Output.WriteLine(script));
        return command;
    }
}
