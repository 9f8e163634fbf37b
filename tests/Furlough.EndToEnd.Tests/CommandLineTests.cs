using System.Diagnostics;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>The command line for scripts and shells: completion, pages for man, CSV.</summary>
public sealed class CommandLineTests : IDisposable
{
    private readonly Field _field = new();

    public void Dispose() => _field.Dispose();

    [Fact]
    public void A_shell_completes_nouns_verbs_and_options()
    {
        const string ask = """
            eval "$(furlough completion bash)"
            COMP_LINE="furlough run st"; COMP_POINT=15; COMP_WORDS=(furlough run st); COMP_CWORD=2
            _furlough; echo "${COMPREPLY[@]}"
            COMP_LINE="furlough report make --"; COMP_POINT=23; COMP_WORDS=(furlough report make --); COMP_CWORD=3
            _furlough; echo "${COMPREPLY[@]}"
            """;
        var start = new ProcessStartInfo("bash", ["-c", ask])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["PATH"] = $"{Field.Repository}/bin:{Environment.GetEnvironmentVariable("PATH")}";
        using var shell = Process.Start(start)!;
        var lines = Field.Finish(shell).Out.Split('\n');
        lines[0].ShouldBe("start");
        lines[1]
            .Split(' ')
            .ShouldBe(
                [
                    "--audit",
                    "--certificate",
                    "--csv",
                    "--help",
                    "--json",
                    "--room",
                    "--run",
                    "--service",
                    "--table",
                    "--to",
                    "--token",
                ],
                ignoreOrder: true
            );
        foreach (var shells in (string[])["zsh", "fish"])
            Furlough("completion", shells).Out.ShouldContain("[suggest:");
    }

    [Fact]
    public void Every_noun_has_a_page_for_man_that_names_its_verbs_and_that_roff_reads_without_a_complaint()
    {
        Furlough("manual", "write", _field.Folder).Out.ShouldContain("man furlough");
        var nouns = Furlough("--help")
            .Out.Split("Commands:")[1]
            .Split('\n')
            .Select(l => l.Trim().Split(' ')[0])
            .Where(n => n.Length > 0)
            .ToList();
        Directory.GetFiles(_field.Folder, "furlough*.1").Length.ShouldBe(nouns.Count + 1);
        foreach (var file in Directory.GetFiles(_field.Folder, "furlough*.1"))
        {
            using var roff = Process.Start(
                new ProcessStartInfo("groff", ["-man", "-ww", "-Tutf8", "-P-cbou", file])
                {
                    RedirectStandardOutput = true,
                    RedirectStandardError = true,
                }
            )!;
            var page = Field.Finish(roff);
            page.Error.ShouldBeEmpty(file);
            if (Path.GetFileName(file) == "furlough-run.1")
                foreach (var verb in (string[])["approve", "pause", "retry", "--cause"])
                    page.Out.ShouldContain(verb);
        }
    }

    [Fact]
    public void Tables_are_printed_as_CSV_in_which_nothing_is_a_formula()
    {
        _field.StartService();
        _field.Run("access", "add", "=x(1),y", "--level", "reader").Code.ShouldBe(0);
        var lines = _field.Run("access", "list", "--csv").Out.Split("\r\n");
        lines[0].ShouldBe("name,level,made,by,valid until");
        lines[1].ShouldStartWith("\"'=x(1),y\",reader,");
        _field
            .Run("machine", "list", "--csv")
            .Out.ShouldBe("machine,room,standing,system volume,free,holdings,data,attention\r\n");
        _field
            .Run("machine", "list", "--csv", "--json")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("two forms"));
    }

    private static Outcome Furlough(params string[] arguments)
    {
        using var process = Field.Launch("furlough", arguments);
        return Field.Finish(process);
    }
}
