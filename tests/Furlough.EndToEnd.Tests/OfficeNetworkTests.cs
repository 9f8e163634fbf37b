using System.Diagnostics;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The service on a host of its own, a desk with an agent on another, and a proxy that shows the office's certificate
/// on a third: each in a network namespace.
/// </summary>
public sealed class OfficeNetworkTests : IDisposable
{
    private readonly LinuxTree _tree = new("ext4", 64);
    private readonly Field _field = new();
    private readonly Lan _lan = new();
    private readonly OfficeCertificates _office;
    private readonly string _service,
        _proxy;

    public OfficeNetworkTests()
    {
        _office = new OfficeCertificates($"{_field.Folder}/office");
        _service = _lan.Host("server");
        _proxy = _lan.Host("proxy");
        _lan.Host("desk");
        _lan.Host("other");
        _lan.Host("third");
    }

    public void Dispose()
    {
        _field.Dispose();
        _lan.Dispose();
        _office.Dispose();
        _tree.Dispose();
    }

    [Fact]
    public void An_agent_on_another_host_works_through_a_proxy_with_the_office_s_certificate_and_trusts_no_other()
    {
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n");
        _tree.FillHard($"{_tree.Home}/Documents", 20);
        Directory.CreateDirectory($"{_tree.Home}/Pictures");
        LinuxTree.Sh($"chown -R -h --from=0:0 --reference={_tree.Home} {_tree.Home}");
        StartService(
            "--public-address",
            $"https://{_proxy}",
            "--hsts",
            "--behind-proxy",
            _proxy,
            "--proxy-authority",
            _office.Authority
        );
        var proxy = StartProxy(_office);

        var invite = Furlough("machine", "invite", "--json");
        invite.Code.ShouldBe(0, invite.ToString());
        var agent = StartAgent("--code-file", _field.CodeFile(invite.Json.GetProperty("code").GetString()!));
        Field.WaitFor(() => Furlough("machine", "survey", "map-01").Code == 0, "the survey");
        var plan = Furlough("plan", "make", _field.WriteBrief(Brief), "--json");
        plan.Code.ShouldBe(0, plan.ToString());
        Furlough("run", "start", "--plan", $"{plan.Json.GetProperty("number")}").Code.ShouldBe(0);
        Furlough("run", "follow", "1")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));

        Headers($"{_proxy}/").ShouldContain("Strict-Transport-Security: max-age=31536000");
        // Whose call it is, the proxy says, and nobody else is believed: the limit of attempts to sign in shows it.
        SignIns("desk", _proxy, 31).ShouldBe(["401", "429"]);
        SignIns("other", _proxy, 1).ShouldBe(["401"], "another caller through the same proxy");
        SignIns("other", _proxy, 31, forged: true)
            .ShouldBe(["401", "429"], "what a caller says itself of whose call it is");
        SignIns("third", $"{_service}:8443", 31, forged: true).ShouldBe(["401", "429"], "past the proxy");

        Field.Kill(agent);
        Field.Kill(proxy);
        using (var strangers = new OfficeCertificates($"{_field.Folder}/strangers", "Strangers"))
        {
            proxy = StartProxy(strangers);
            agent = StartAgent();
            _field.WaitForLog(agent, "its certificate is none that the service has told of");
            Field.Kill(agent);
            Field.Kill(proxy);
        }
        StartProxy(_office);
        StartAgent();
        Field.WaitFor(() => Furlough("machine", "survey", "map-01").Code == 0, "a survey with the office's again");
    }

    [Fact]
    public void A_browser_that_trusts_the_service_s_own_certificate_shows_the_console_and_another_does_not()
    {
        StartService();
        Headers($"{_service}:8443/")
            .ShouldNotContain("Strict-Transport-Security", customMessage: "nobody asked for it");
        var home = Directory.CreateDirectory($"{_field.Folder}/home").FullName;
        Browse(home).ShouldNotContain("Furlough</title>");
        LinuxTree.Sh(
            $"mkdir -p {home}/.pki/nssdb && certutil -N -d sql:{home}/.pki/nssdb --empty-password"
                + $" && certutil -A -d sql:{home}/.pki/nssdb -n furlough -t P,, -i {OwnCertificate}"
        );
        Browse(home).ShouldContain("Furlough</title>");
    }

    private const string Brief = """
        furlough-brief: 1
        title: One desk
        machines: {names: [map-01]}
        volumes: {roomy: {system: false}}
        relocate:
          - {folders: [Documents, Pictures], onto: roomy, path: "People/{account}/{folder}"}
        """;

    private string OwnCertificate => $"{_field.Folder}/service/certificate.pem";

    private void StartService(params string[] more)
    {
        var service = _lan.Start(
            "server",
            Field.Program("furlough"),
            ["service", "start", "--data", $"{_field.Folder}/service", "--listen", $"https://{_service}:8443", .. more]
        );
        service.StandardOutput.ReadLine().ShouldBe($"listening on https://{_service}:8443");
        _field.Keep(service);
    }

    private Process StartProxy(OfficeCertificates office)
    {
        var (certificate, key) = office.Issue(_proxy);
        File.WriteAllText($"{_field.Folder}/proxy.pem", File.ReadAllText(certificate) + File.ReadAllText(key));
        File.WriteAllText(
            $"{_field.Folder}/proxy.cfg",
            $"""
            defaults
              mode http
              timeout connect 5s
              timeout client 2m
              timeout server 2m
            frontend office
              bind {_proxy}:443 ssl crt {_field.Folder}/proxy.pem
              http-request set-header X-Forwarded-Proto https
              option forwardfor
              default_backend furlough
            backend furlough
              server one {_service}:8443 ssl verify required ca-file {OwnCertificate}

            """
        );
        var proxy = _field.Keep(_lan.Start("proxy", "/usr/sbin/haproxy", "-f", $"{_field.Folder}/proxy.cfg"));
        Field.WaitFor(
            () => _lan.Run("desk", "curl", "-sk", "-o", "/dev/null", $"https://{_proxy}/").Code == 0,
            "the proxy"
        );
        return proxy;
    }

    private Process StartAgent(params string[] more) =>
        _field.Keep(
            _lan.Start(
                "desk",
                Field.Program("furlough-agent"),
                [
                    "--service",
                    $"https://{_proxy}",
                    "--root",
                    _tree.Root,
                    "--data",
                    $"{_field.Folder}/map-01",
                    "--name",
                    "map-01",
                    "--room",
                    "Map Room",
                    .. more,
                ]
            )
        );

    /// <summary>A command on the desk, through the proxy.</summary>
    private Outcome Furlough(params string[] arguments) =>
        _lan.Run(
            "desk",
            Field.Program("furlough"),
            [
                .. arguments,
                "--service",
                $"https://{_proxy}",
                "--token",
                _field.Token,
                "--certificate",
                _office.Authority,
            ]
        );

    /// <summary>The headers of a page, by the first version of HTTP.</summary>
    private string Headers(string page) =>
        _lan.Run("desk", "curl", "-sk", "--http1.1", "-D", "-", $"https://{page}").Out;

    /// <summary>Attempts to sign in with a wrong token; the answers, each once.</summary>
    /// <param name="forged">Each names another caller.</param>
    private List<string> SignIns(string host, string address, int attempts, bool forged = false)
    {
        var said = _lan.Run(
            host,
            "bash",
            "-c",
            $"for i in $(seq {attempts}); do curl -sk -o /dev/null -w '%{{http_code}}\\n' -H 'Content-Type: application/json' "
                + (forged ? "-H \"X-Forwarded-For: 10.99.0.1$i\" " : "")
                + $"-d '{{\"token\":\"wrong\"}}' https://{address}/api/v1/session; done"
        );
        return [.. said.Out.Split('\n', StringSplitOptions.RemoveEmptyEntries).Distinct()];
    }

    private string Browse(string home) =>
        _lan.Run(
            "desk",
            "env",
            $"HOME={home}",
            "chromium",
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            $"--user-data-dir={home}/profile",
            "--dump-dom",
            $"https://{_service}:8443/"
        ).Out;
}
