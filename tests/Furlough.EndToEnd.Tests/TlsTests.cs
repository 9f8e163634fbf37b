using System.Buffers.Text;
using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The service with TLS: agents trust it by its identity, whatever certificate it shows, and nobody else; people trust
/// a certificate.
/// </summary>
public sealed class TlsTests() : RealDesk(megabytes: 64, tls: true)
{
    private string Keys => $"{Field.Folder}/service/tls-keys";

    [Fact]
    public void A_holding_is_relocated_and_an_agent_that_slept_through_two_renewals_goes_on()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        var agent = Enrol();
        Field
            .Run("run", "follow", StartRun())
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));
        var first = NumberKept();

        Field.Kill(agent);
        Renew();
        Renew();
        Field.StartAgent(Tree.Root, "map-01");
        Field.Run("machine", "survey", "map-01").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        NumberKept().ShouldBeGreaterThan(first + 1);

        Field.Run("history", "list").Out.ShouldContain("certificate changed");
    }

    [Fact]
    public void Another_service_at_the_same_address_and_keys_of_the_past_are_trusted_with_nothing()
    {
        var agent = Enrol();
        var past = File.ReadAllText(Keys);
        Field.StopService();
        Directory.Move($"{Field.Folder}/service", $"{Field.Folder}/real");
        Field.StartService(tls: true);
        Field.Kill(agent);
        agent = Field.StartAgent(Tree.Root, "map-01");
        Field.WaitForLog(agent, "it is not the one that made this agent's invite");
        Field.Kill(agent);
        Field.StopService();
        Directory.Delete($"{Field.Folder}/service", recursive: true);
        Directory.Move($"{Field.Folder}/real", $"{Field.Folder}/service");

        Field.StartService(tls: true);
        Renew();
        agent = Field.StartAgent(Tree.Root, "map-01");
        Field.Run("machine", "survey", "map-01").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        // Whoever has the keys that were shown once, and the statement of that time, is a thief or a backup.
        Field.StopService();
        File.WriteAllText(Keys, past);
        Field.StartService(tls: true);
        Field.Kill(agent);
        agent = Field.StartAgent(Tree.Root, "map-01");
        Field.WaitForLog(agent, "older than what it told before");
    }

    [Fact]
    public void Commands_trust_the_certificate_that_they_are_given_and_an_office_s_is_shown_without_a_restart()
    {
        var own = $"{Field.Folder}/own.pem";
        File.Copy(Field.Certificate!, own);
        Field.Certificate = null;
        Field
            .Run("service", "status")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1),
                o => o.Error.ShouldContain("shows a certificate that is not trusted here"),
                o => o.Error.ShouldContain("give a copy of it with --certificate FILE")
            );
        Field.Certificate = own;
        Field.Run("service", "status").Code.ShouldBe(0);
        Field
            .Run("certificate", "show")
            .ShouldSatisfyAllConditions(
                o => o.Out.ShouldContain("127.0.0.1"),
                o => o.Out.ShouldContain("the service itself")
            );

        var agent = Enrol();
        using var office = new OfficeCertificates($"{Field.Folder}/office");
        var (certificate, key) = office.Issue("127.0.0.1");
        Field
            .Run("certificate", "use", certificate, Field.CodeFile("no key"))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("The former one is still shown")
            );
        Field.Run("service", "status").Code.ShouldBe(0, "nothing has changed");
        Field
            .Run("certificate", "use", certificate, key)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("Office authority")
            );
        Field.Run("service", "status").Code.ShouldBe(1, "the former certificate is not shown any more");
        Field.Certificate = office.Authority;
        Field.Run("service", "status").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Kill(agent);
        Field.StartAgent(Tree.Root, "map-01");
        Field.Run("machine", "survey", "map-01").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));

        Field.StopService();
        Field.StartService(tls: true);
        Field.Certificate = office.Authority;
        Field.Run("service", "status").Code.ShouldBe(0, "the office's is shown after a restart as well");
    }

    [Fact]
    public void Old_versions_of_TLS_and_names_that_are_not_its_own_are_refused()
    {
        var server = new Uri(Field.Address).Authority;
        string Shake(string version) =>
            LinuxTree.Sh(
                $"openssl s_client -connect {server} {version} -cipher 'ALL:@SECLEVEL=0' </dev/null 2>&1 || true"
            );
        Shake("-tls1_1").ShouldContain("alert protocol version");
        Shake("-tls1_2").ShouldContain("New, TLSv1.2");
        var answer = LinuxTree.Sh($"curl -sk -H 'Host: elsewhere.example' {Field.Address}/health/live");
        answer.ShouldContain("host-unknown");
        LinuxTree.Sh($"curl -sk {Field.Address}/health/live").ShouldBe("live");
    }

    private void Renew() =>
        Field
            .Run("certificate", "renew")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("the service itself")
            );

    /// <summary>The number of the statement that the agent keeps.</summary>
    private long NumberKept() =>
        JsonDocument
            .Parse(Base64Url.DecodeFromChars(File.ReadAllText($"{Field.Folder}/map-01/tls-statement").Split('.')[1]))
            .RootElement.GetProperty("number")
            .GetInt64();
}
