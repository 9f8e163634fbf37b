using System.Diagnostics;
using System.Text.Json;

namespace Furlough.EndToEnd.Tests;

/// <summary>The office's OpenID provider on loopback, its people with their groups, and the browser of one of them.</summary>
internal sealed class OfficePeople : IDisposable
{
    private readonly Process _node;

    internal OfficePeople()
    {
        _node = Process.Start(
            new ProcessStartInfo(
                "node",
                [Path.Combine(Field.Repository, "tests/Furlough.EndToEnd.Tests/provider.mjs"), Field.Repository]
            )
            {
                RedirectStandardInput = true,
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            }
        )!;
        _ = _node.StandardError.ReadToEndAsync();
        Issuer = Do("port");
    }

    internal string Issuer { get; }

    /// <summary>Has something done; what it answers.</summary>
    internal string Do(string what, object? more = null)
    {
        var line = JsonSerializer.SerializeToNode(more ?? new { })!.AsObject();
        line["what"] = what;
        _node.StandardInput.WriteLine(line.ToJsonString());
        _node.StandardInput.Flush();
        while (_node.StandardOutput.ReadLine() is { } answer)
        {
            // The provider says things of its own there too.
            if (!answer.StartsWith('{'))
                continue;
            var read = JsonDocument.Parse(answer).RootElement;
            return read.TryGetProperty("answer", out var said)
                ? said.GetString()!
                : throw new InvalidOperationException($"{what}: {read.GetProperty("error").GetString()}");
        }
        throw new InvalidOperationException($"{what}: the provider has ended");
    }

    internal void Put(string person, params string[] groups) => Do("groups", new { person, of = groups });

    public void Dispose()
    {
        _node.StandardInput.Close();
        if (!_node.WaitForExit(10_000))
            _node.Kill(entireProcessTree: true);
        _node.Dispose();
    }
}
