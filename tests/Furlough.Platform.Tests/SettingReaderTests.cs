using System.Diagnostics;
using System.Text;
using System.Text.Json;
using Furlough.Engine;
using Furlough.Model;
using Furlough.Platform.Settings;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// What is written into settings files is read by programs that nobody here wrote, some of which run or expand what
/// they read. Either a value is refused, or every reader takes it for exactly itself. Values are put together at random
/// from what readers are known to mind; FURLOUGH_SEEDS says how many.
/// </summary>
public sealed class SettingReaderTests : IDisposable
{
    private static readonly string[] Pieces =
    [
        "/",
        "People",
        "asa.lind",
        " ",
        "  ",
        "$(touch ran)",
        "`touch ran`",
        "$HOME",
        "${HOME}",
        "%HOME%",
        "%(path)s",
        "%",
        ";",
        " ;",
        "#",
        " #",
        "\"",
        "'",
        "\\",
        "\n",
        "\r",
        "\t",
        "\0",
        "ü",
        "漢",
        ":",
        ": ",
        "=",
        "[",
        "]",
        "{",
        "}",
        "&",
        "&amp;",
        "<",
        ">",
        "<![CDATA[",
        "]]>",
        "!",
        "*",
        "~",
        ",",
        "- ",
        "? ",
        "|",
        "@",
        "\u2028",
        "\u0085",
        "\uFEFF",
        "yes",
        "null",
        "0x1F",
        "1e3",
        "\\n",
        "\\u0041",
        "\\x41",
        "'''",
        "\"\"\"",
        "--",
        "//",
        "/*",
        "$",
        "😀",
    ];

    /// <summary>How one value stands in a file of each syntax, and what reads it.</summary>
    private static readonly (string Syntax, string Key, string Before, string After, string Reader)[] Files =
    [
        ("environment", "STORE", "OTHER=1\nSTORE=", "\nLAST=1\n", "sh"),
        ("profile", "STORE", "export STORE=", "\n", "sh"),
        ("environment", "STORE", "STORE=", "\n", "environment.d"),
        ("ini", "library/path", "[library]\npath=", "\nx=1\n", "configparser"),
        ("ini", "library/path", "[library]\npath=", "\nx=1\n", "git"),
        ("json", "a", "{\"a\": ", ", \"b\": 1}", "json"),
        ("toml", "a/b", "[a]\nb = ", " # c\n", "toml"),
        ("yaml", "a/b", "a:\n  b: ", " # c\n", "yaml"),
        ("xml", "c/@v", "<c v=\"", "\"/>", "xml"),
        ("xml", "c/e", "<c><e>", "</e></c>", "xml"),
    ];

    private const string Script = """
        import configparser, json, sys, tomllib, xml.etree.ElementTree as xml, yaml
        def read(kind, path):
            if kind == "configparser":
                c = configparser.ConfigParser(); c.read(path, encoding="utf-8"); return c["library"]["path"]
            if kind == "json": return json.load(open(path, encoding="utf-8"))["a"]
            if kind == "toml": return tomllib.load(open(path, "rb"))["a"]["b"]
            if kind == "yaml": return yaml.safe_load(open(path, encoding="utf-8"))["a"]["b"]
            root = xml.parse(path).getroot(); return root.get("v") if "v" in root.attrib else root[0].text
        for line in sys.stdin:
            kind, path = json.loads(line)
            try: print(json.dumps(read(kind, path)))
            except Exception as wrong: print(json.dumps({"wrong": repr(wrong)}))
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-readers-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    [Fact]
    public void What_is_written_is_read_as_itself_by_programs_that_run_or_expand_what_they_can()
    {
        var count = int.Parse(
            Environment.GetEnvironmentVariable("FURLOUGH_SEEDS") ?? "200",
            System.Globalization.CultureInfo.InvariantCulture
        );
        var dice = new Random(20_261_129);
        List<(string Reader, string Path, string Value)> written = [];
        var refused = 0;
        for (var i = 0; i < count; i++)
        {
            var value =
                "/" + string.Concat(Enumerable.Range(0, dice.Next(1, 7)).Select(_ => Pieces[dice.Next(Pieces.Length)]));
            foreach (var (kind, key, before, after, reader) in Files)
            foreach (var present in (string?[])[null, "\"x\"", "'x'"])
            {
                if (present is not null && kind is not ("toml" or "yaml" or "environment"))
                    continue;
                try
                {
                    var raw = SettingEdit
                        .Encoded(
                            new PointerAddress(kind, "file", key, "asa.lind"),
                            value,
                            new PointerValue("text", present)
                        )
                        .Text!;
                    var path = Path.Combine(_folder, $"{written.Count}");
                    File.WriteAllText(path, before + raw + after);
                    written.Add((reader, path, value));
                }
                catch (Fault fault)
                {
                    fault.Kind.Code.ShouldBe("value-refused");
                    refused++;
                }
            }
        }
        var python = written.Where(w => w.Reader is not ("sh" or "environment.d" or "git")).ToList();
        var answers = Ask(
                "/usr/bin/python3",
                ["-c", Script],
                string.Concat(python.Select(w => JsonSerializer.Serialize((string[])[w.Reader, w.Path]) + "\n"))
            )
            .Split('\n', StringSplitOptions.RemoveEmptyEntries);
        answers.Length.ShouldBe(python.Count);
        foreach (var (one, answer) in python.Zip(answers))
            Same(
                one,
                JsonDocument.Parse(answer).RootElement is { ValueKind: JsonValueKind.String } text
                    ? text.GetString()
                    : answer
            );
        foreach (var one in written.Where(w => w.Reader == "git"))
            Same(one, Ask("git", ["config", "--null", "--file", one.Path, "library.path"]).TrimEnd('\0'));
        Ask(
            "sh",
            [
                "-c",
                $"cd '{_folder}' && for f in "
                    + $"{string.Join(' ', written.Where(w => w.Reader == "sh").Select(w => Path.GetFileName(w.Path)))}; "
                    + "do (. ./$f; printf %s \"$STORE\" > $f.out); done",
            ]
        );
        foreach (var one in written.Where(w => w.Reader == "sh"))
            Same(one, Encoding.UTF8.GetString(File.ReadAllBytes(one.Path + ".out")));
        foreach (var one in written.Where(w => w.Reader == "environment.d").Take(150))
            Same(one, OfSystemd(one.Path));
        File.Exists(Path.Combine(_folder, "ran")).ShouldBeFalse("something was run");
        (written.Count, refused).ShouldSatisfyAllConditions(
            n => n.Count.ShouldBeGreaterThan(count),
            n => n.refused.ShouldBeGreaterThan(count)
        );
    }

    [Theory]
    [InlineData("environment", "A=1;touch ran #")]
    [InlineData("profile", "A\ntouch ran")]
    [InlineData("profile", "$(touch ran)")]
    [InlineData("ini", "a]/b")]
    [InlineData("ini", "a/b\nc")]
    public void A_name_that_would_be_more_than_a_name_is_refused(string syntax, string key) =>
        Should
            .Throw<Fault>(() =>
                SettingEdit.Changed(
                    new PointerAddress(syntax, "file", key, "asa.lind"),
                    [],
                    PointerValue.Absent,
                    new PointerValue("text", "x")
                )
            )
            .Kind.Code.ShouldBe("key-refused");

    private static void Same((string Reader, string Path, string Value) one, string? found) =>
        found.ShouldBe(one.Value, $"{one.Reader} of {File.ReadAllText(one.Path)}");

    /// <summary>The value as systemd hands it to the services of an account.</summary>
    private string OfSystemd(string path)
    {
        var home = Directory.CreateDirectory(Path.Combine(_folder, "config", "environment.d")).FullName;
        File.Copy(path, Path.Combine(home, "one.conf"), true);
        var answer = Ask(
            "env",
            [
                "-i",
                $"XDG_CONFIG_HOME={Path.Combine(_folder, "config")}",
                "HOME=/nowhere",
                "PATH=/usr/bin:/bin",
                "/usr/lib/systemd/user-environment-generators/30-systemd-environment-d-generator",
            ]
        );
        // It quotes what it prints for a shell.
        return Ask(
            "sh",
            [
                "-c",
                $"{answer.Split('\n').First(l => l.StartsWith("STORE=", StringComparison.Ordinal))}\nprintf %s \"$STORE\"",
            ]
        );
    }

    private string Ask(string program, string[] arguments, string input = "")
    {
        using var process = Process.Start(
            new ProcessStartInfo(program, arguments)
            {
                RedirectStandardInput = true,
                RedirectStandardOutput = true,
                WorkingDirectory = _folder,
                StandardOutputEncoding = Encoding.UTF8,
                StandardInputEncoding = new UTF8Encoding(false),
            }
        )!;
        var answer = process.StandardOutput.ReadToEndAsync();
        process.StandardInput.Write(input);
        process.StandardInput.Close();
        process.WaitForExit();
        return answer.Result;
    }
}
