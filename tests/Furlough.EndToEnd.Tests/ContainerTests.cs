using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The steps of the container file, carried out in a Debian of the test's own: what an engine would do with them. No
/// engine runs here.
/// </summary>
[Trait("Category", "long")]
public sealed class ContainerTests : IDisposable
{
    private readonly string _root = Directory.CreateTempSubdirectory("furlough-container-").FullName;
    private readonly Lan _lan = new();
    private readonly Dictionary<string, string> _environment = [];

    public void Dispose()
    {
        _lan.Dispose();
        LinuxTree.Sh($"umount {_root}/proc || true; rm -rf {_root}");
    }

    [Fact]
    public void Its_steps_make_a_service_that_answers_over_tls_without_rights_of_root_and_stops_when_it_is_told_to()
    {
        var address = _lan.Host("container");
        LinuxTree.Sh(
            $"cp -a /var/cache/furlough-tests/machine/. {_root} && mount -t proc proc {_root}/proc && : > {_root}/etc/apt/sources.list"
        );
        var (user, start, data) = ("root", new List<string>(), "");
        foreach (var (step, what) in Steps())
            switch (step)
            {
                case "FROM":
                    what.ShouldBe("debian:bookworm-slim");
                    LinuxTree.Sh($"cat {_root}/etc/debian_version").ShouldStartWith("12.");
                    break;
                case "COPY":
                    LinuxTree.Sh(
                        $"cd {Field.Repository}/artifacts/packages && cp {what.Split(' ')[0]} {_root}{what.Split(' ')[1]}"
                    );
                    break;
                case "RUN":
                    // Nothing but what the packages of this Debian have: there is no network.
                    File.WriteAllText($"{_root}/step", what);
                    LinuxTree.Sh($"unshare -n chroot {_root} sh -e /step");
                    break;
                case "ENV":
                    _environment[what.Split('=')[0]] = what[(what.IndexOf('=') + 1)..];
                    break;
                case "USER":
                    user = what;
                    break;
                case "VOLUME":
                    data = what;
                    break;
                case "ENTRYPOINT":
                    start = JsonSerializer.Deserialize<List<string>>(what)!;
                    break;
                default:
                    step.ShouldBe("EXPOSE");
                    break;
            }

        using var service = _lan.Start(
            "container",
            "chroot",
            [$"--userspec={user}", _root, "env", .. _environment.Select(e => $"{e.Key}={e.Value}"), .. start]
        );
        service.StandardOutput.ReadLine()!.ShouldContain("listening on https://");
        _lan.Run(
                "container",
                "curl",
                "-sS",
                "--cacert",
                $"{_root}{data}/certificate.pem",
                $"https://{address}:8443/health/ready"
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldBe("ready"));
        LinuxTree.Sh($"stat -c %U {_root}{data}/furlough.db; chroot {_root} id -un {user}").ShouldContain("furlough");
        LinuxTree
            .Sh($"ip netns pids {_lan.Space("container")} | xargs ps -o euser= -o comm= -p")
            .ShouldNotContain("root");
        LinuxTree.Sh($"ip netns pids {_lan.Space("container")} | xargs kill -TERM");
        service.WaitForExit(20_000).ShouldBeTrue();
        service.ExitCode.ShouldBe(0);
    }

    private static IEnumerable<(string Step, string What)> Steps() =>
        File.ReadAllLines($"{Field.Repository}/packaging/container/Containerfile")
            .Where(l => l.Length > 0 && l[0] != '#')
            .Select(l => (l.Split(' ')[0], l[(l.IndexOf(' ') + 1)..]));
}
