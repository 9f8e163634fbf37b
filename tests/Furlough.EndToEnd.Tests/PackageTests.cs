using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The built packages on whole machines: one is installed as the server, three get agents without a question asked,
/// each on a host of its own.
/// </summary>
[Trait("Category", "long")]
public sealed class PackageTests : IDisposable
{
    private static readonly string[] Desks = ["wet-01", "wet-02", "wet-03"];
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-machines-").FullName;
    private readonly Lan _lan = new();
    private readonly List<BootedMachine> _machines = [];
    private readonly BootedMachine _server;

    public PackageTests() => _server = Add("server");

    public void Dispose()
    {
        foreach (var machine in _machines)
            machine.Dispose();
        _lan.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void Three_machines_are_set_up_silently_relocate_go_on_after_a_restart_and_keep_their_data_when_the_agent_goes()
    {
        _server.Run("mkdir -p /etc/furlough && dpkg -i /root/furlough.deb");
        _server.Run(
            $"echo 'listen: https://{_server.Address}:8443' >> /etc/furlough/service.yaml && furlough service check && "
                + "systemctl restart furlough"
        );
        Field.WaitFor(() => Furlough("service", "status").Code == 0, "the service");
        _server.Run("ps -o user= -C furlough").Trim().ShouldBe("furlough", "it has no rights of root");
        _server.Run("stat -c '%a %U' /var/lib/furlough").Trim().ShouldBe("700 furlough");

        var code = Furlough("machine", "invite", "--machines", "3", "--json").Json.GetProperty("code").GetString()!;
        var desks = Desks.Select(Add).ToList();
        var before = desks.ConvertAll(Fill);
        // Answers beforehand, a file beforehand, and both without a start: three ways that offices have.
        Preseed(desks[0], code);
        Preseed(desks[1], code);
        desks[2].Run("mkdir -p /etc/furlough");
        File.WriteAllText(
            $"{desks[2].Root}/etc/furlough/agent.conf",
            $"service = https://{_server.Address}:8443\nroom = Wet Lab\ncode-file = /etc/furlough/agent-invite\n"
        );
        File.WriteAllText($"{desks[2].Root}/etc/furlough/agent-invite", code + "\n");
        foreach (var desk in desks)
            desk.Run("dpkg -i /root/furlough-agent.deb");
        Field.WaitFor(
            () =>
                Furlough("machine", "list", "--json")
                    .Json.EnumerateArray()
                    .Count(m => m.GetProperty("surveyedAt").ValueKind == JsonValueKind.String) == 3,
            "three surveys"
        );
        foreach (var desk in desks)
        {
            desk.Run("ls /etc/furlough").Trim().ShouldBe("agent.conf", "the invite is used up");
            desk.Run("grep -rl '" + code + "' /etc /var || true").Trim().ShouldBe("", "nobody keeps the code");
        }

        StartRun();
        foreach (var desk in desks)
            Field.WaitFor(() => desk.Try("test", "-e", Target).Code == 0 || IsCopying(desk), "the copying");
        desks[0]
            .Try("dpkg", "-r", "furlough-agent")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldNotBe(0),
                o => (o.Out + o.Error).ShouldContain("a relocation is under way on this machine")
            );
        desks[0].Run("systemctl is-active furlough-agent").Trim().ShouldBe("active");
        desks[0].CutPower();
        desks[1].ShutDown();
        _server.CutPower();
        desks[0].Boot();
        desks[1].Boot();
        _server.Boot();

        Field.WaitFor(() => Furlough("run", "show", "1").Code == 0, "the service again");
        Furlough("run", "follow", "1")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("3 switched"));
        for (var i = 0; i < desks.Count; i++)
            Describe(desks[i], Target).ShouldBe(before[i]);

        foreach (var (desk, index) in desks.Select((d, i) => (d, i)))
        {
            desk.Run("dpkg -r furlough-agent")
                .ShouldContain("the original of Documents of asa.lind (0.2 GB), set aside on");
            desk.Run("dpkg --purge furlough-agent");
            desk.Try("test", "-e", "/var/lib/furlough-agent").Code.ShouldBe(1);
            Describe(desk, Target).ShouldBe(before[index], "people's data is where they use it");
            desk.Run("grep -c /mnt/roomy/asa.lind /home/asa.lind/.config/user-dirs.dirs").Trim().ShouldBe("1");
        }
        _server.Run("dpkg --purge furlough").ShouldContain("/var/lib/furlough stays");
        _server.Try("test", "-e", "/var/lib/furlough/service-key").Code.ShouldBe(0);
    }

    private const string Target = "/mnt/roomy/asa.lind/Documents";

    private BootedMachine Add(string name)
    {
        var machine = new BootedMachine(_lan, _folder, name);
        _machines.Add(machine);
        return machine;
    }

    /// <summary>An account with work in its folder; what a comparison says of it.</summary>
    private static string Fill(BootedMachine desk)
    {
        desk.Run(
            "useradd -m asa.lind && su asa.lind -c 'mkdir ~/Documents && cd ~/Documents && for i in $(seq 60); do head -c 3000000 "
                + "/dev/urandom > count-$i; done && xdg-user-dirs-update'"
        );
        return Describe(desk, "/home/asa.lind/Documents");
    }

    private static string Describe(BootedMachine desk, string folder) =>
        desk.Run(
            $"cd {folder} && find . -printf '%P %y %s %U %m %T@\\n' | grep -v furlough- | tail -n +2 | sort; sha256sum count-*"
        );

    private void Preseed(BootedMachine desk, string code) =>
        desk.Run(
            $"printf '%s\\n' 'furlough-agent furlough-agent/service string https://{_server.Address}:8443' 'furlough-agent "
                + $"furlough-agent/room string Wet Lab' 'furlough-agent furlough-agent/code password {code}' | debconf-set-selections"
        );

    private void StartRun()
    {
        File.WriteAllText(
            $"{_server.Root}/root/brief.yaml",
            """
            furlough-brief: 1
            title: Documents to the roomy volumes
            machines: {rooms: [Wet Lab]}
            volumes: {roomy: {system: false}}
            relocate:
              - {folders: [Documents], onto: roomy, path: "{account}/{folder}"}
            work: {speed: 12 MB/s}

            """
        );
        var plan = Furlough("plan", "make", "/root/brief.yaml", "--json");
        plan.Code.ShouldBe(0, plan.ToString());
        Furlough("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
    }

    private static bool IsCopying(BootedMachine desk) =>
        desk.Run("furlough-agent status").Contains("copy", StringComparison.Ordinal);

    /// <summary>A command on the server, as the steward.</summary>
    private Outcome Furlough(params string[] arguments) =>
        _server.Try(
            "bash",
            [
                "-c",
                "FURLOUGH_SERVICE=https://$0:8443 FURLOUGH_CERTIFICATE=/var/lib/furlough/certificate.pem FURLOUGH_TOKEN=$(cat "
                    + "/var/lib/furlough/steward-token) exec furlough \"$@\"",
                _server.Address,
                .. arguments,
            ]
        );
}
