using System.Diagnostics;
using System.Net;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The installed browser saves what it downloads where its relocated setting says. It runs in a window, on the tree's
/// homes and volumes, in a mount namespace of its own.
/// </summary>
public sealed class BrowserTests() : RealDesk(megabytes: 64)
{
    private const string Wanted = """
        furlough-brief: 1
        title: Downloads to the roomy volume
        machines: {names: [map-01]}
        volumes: {roomy: {system: false, prefer: roomiest}}
        relocate:
          - {install-paths: [browser-downloads], onto: roomy, path: "Programs/{account}/{folder}"}
        """;

    [Fact]
    public void Downloads_arrive_at_the_new_place_and_after_a_return_at_the_former_one()
    {
        var roomy = Tree.MountVolume("ext4", $"{Tree.Root}/mnt/roomy", 200);
        using var files = new HttpListener { Prefixes = { Serve(out var address) } };
        files.Start();
        _ = AnswerAsync(files);
        using var screen = new Screen();
        Browse(screen, "about:blank", () => File.Exists($"{Tree.Home}/.config/chromium/Default/Preferences"));
        Enrol();
        Field.WaitFor(
            () => Field.Run("machine", "show", "map-01").Out.Contains("browser-downloads", StringComparison.Ordinal),
            "the browser's setting"
        );
        Field.Run("run", "follow", StartRun(Wanted)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Browse(screen, address + "new.bin", () => File.Exists($"{roomy}/Programs/asa.lind/browser-downloads/new.bin"));
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");

        Field
            .Run("relocation", "return", Relocation("browser-downloads").GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Browse(screen, address + "old.bin", () => File.Exists($"{Tree.Home}/Downloads/old.bin"));
    }

    private static string Serve(out string address)
    {
        using var free = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
        free.Start();
        return address = $"http://127.0.0.1:{((IPEndPoint)free.LocalEndpoint).Port}/";
    }

    private static async Task AnswerAsync(HttpListener files)
    {
        while (files.IsListening)
        {
            var request = await files.GetContextAsync();
            request.Response.ContentType = "application/octet-stream";
            request.Response.Close("a count sheet"u8.ToArray(), false);
        }
    }

    /// <summary>The account opens an address and closes the browser when something is there.</summary>
    private void Browse(Screen screen, string address, Func<bool> until)
    {
        var browser = string.Join(
            ' ',
            "chromium --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
                + "--disable-component-update --disable-sync",
            address
        );
        using var process = Process.Start(
            new ProcessStartInfo(
                "unshare",
                [
                    "-m",
                    "sh",
                    "-c",
                    $"mount --make-rslave / && mount --rbind {Tree.Root}/home /home && mount --rbind "
                        + $"{Tree.Root}/mnt /mnt && exec setpriv --reuid=1701 --regid=1701 --clear-groups env -i -C "
                        + $"/home/asa.lind HOME=/home/asa.lind DISPLAY={screen.Display} PATH=/usr/bin:/bin {browser}",
                ]
            )
            {
                RedirectStandardError = true,
                RedirectStandardOutput = true,
            }
        )!;
        process.OutputDataReceived += (_, _) => { };
        process.ErrorDataReceived += (_, _) => { };
        process.BeginOutputReadLine();
        process.BeginErrorReadLine();
        try
        {
            Field.WaitFor(until, address);
        }
        finally
        {
            // Asked to end, it writes its settings; killed, it would not.
            LinuxTree.Sh($"kill {process.Id}");
            if (!process.WaitForExit(20_000))
                Field.Kill(process);
        }
    }
}
