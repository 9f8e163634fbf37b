using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Furlough.Protocol;
using Furlough.Service.Tls;
using Microsoft.Extensions.Time.Testing;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>The service's certificate and the statement of its keys, at a clock that only the test moves.</summary>
public sealed class TlsKeysTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-tls-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 3, 2, 9, 0, 0, TimeSpan.Zero));
    private readonly SigningKey _identity = SigningKey.Make();

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Each_statement_tells_the_key_that_the_next_certificate_has()
    {
        using var keys = Open();
        var first = Statement(keys);
        first.Keys.Count.ShouldBe(2);
        first.Keys[0].ShouldBe(KeyShown(keys));
        keys.Renew();
        var second = Statement(keys);
        second.Keys[0].ShouldBe(first.Keys[1], "agents that read the first know this key");
        second.Keys[0].ShouldBe(KeyShown(keys));
        second.Keys[1].ShouldNotBeOneOf([.. first.Keys]);
        second.Number.ShouldBeGreaterThan(first.Number);
    }

    [Fact]
    public void After_a_restart_it_shows_the_same_and_says_the_same()
    {
        string statement;
        using (var keys = Open())
        {
            keys.Renew();
            statement = keys.Statement;
        }
        _clock.Advance(TimeSpan.FromDays(3));
        using var again = Open();
        again.Statement.ShouldBe(statement);
        if (!OperatingSystem.IsWindows())
            File.GetUnixFileMode(Kept).ShouldBe(UnixFileMode.UserRead | UnixFileMode.UserWrite);
    }

    [Fact]
    public void What_is_changed_after_a_backup_was_put_back_is_newer_than_anything_before()
    {
        using var keys = Open();
        var backup = File.ReadAllText(Kept);
        for (var i = 0; i < 5; i++)
            keys.Renew();
        var last = Statement(keys).Number;
        File.WriteAllText(Kept, backup);
        _clock.Advance(TimeSpan.FromMinutes(1));
        using var restored = Open();
        restored.Renew();
        Statement(restored).Number.ShouldBeGreaterThan(last);
    }

    [Theory]
    [InlineData("", "cannot be used")]
    [InlineData("another", "cannot be used")]
    [InlineData("ended", "It ended on 2026-02-20")]
    [InlineData("nameless", "names no host")]
    public void A_certificate_that_would_not_serve_is_refused_and_nothing_changes(string flaw, string told)
    {
        using var keys = Open();
        var (before, kept) = (keys.Statement, File.ReadAllText(Kept));
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var another = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var certificate = flaw.Length == 0 ? "" : Certificate(key, flaw != "nameless", flaw == "ended" ? -10 : 30);
        var given = (flaw == "another" ? another : key).ExportPkcs8PrivateKeyPem();
        Should
            .Throw<RefusedException>(() => keys.Use(certificate, given))
            .ShouldSatisfyAllConditions(
                r => r.Code.ShouldBe("certificate-refused"),
                r => r.Message.ShouldContain(told)
            );
        keys.Statement.ShouldBe(before);
        File.ReadAllText(Kept).ShouldBe(kept);
    }

    [Fact]
    public void It_serves_the_names_of_its_certificate_and_no_others()
    {
        using var keys = Open();
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        keys.Use(Certificate(key, named: true, days: 30), key.ExportPkcs8PrivateKeyPem())
            .Names.ShouldBe(["furlough.fen.example"]);
        keys.IsFor("furlough.fen.example").ShouldBeTrue();
        keys.IsFor("elsewhere.example").ShouldBeFalse();
        keys.IsFor("127.0.0.1").ShouldBeFalse();
        foreach (var odd in (string[])["", "a b", "-", "[::1", "..", "x_y", new string('a', 300), "%00"])
            keys.IsFor(odd).ShouldBeFalse(odd);
        Statement(keys).Keys.ShouldBe([KeyShown(keys)]);
    }

    [Fact]
    public void A_proxy_before_it_is_told_in_a_newer_statement_and_so_is_its_end()
    {
        using var alone = Open();
        var (key, number) = (KeyShown(alone), Statement(alone).Number);
        using var proxied = Open(new Proxy(System.Net.IPAddress.Loopback, []));
        Statement(proxied)
            .ShouldSatisfyAllConditions(
                s => s.Number.ShouldBeGreaterThan(number),
                s => s.Keys[0].ShouldBe(key),
                s => s.Proxy!.Authorities.ShouldBeEmpty()
            );
        using (var same = Open(new Proxy(System.Net.IPAddress.Loopback, [])))
            same.Statement.ShouldBe(proxied.Statement);
        using var again = Open();
        Statement(again)
            .ShouldSatisfyAllConditions(
                s => s.Proxy.ShouldBeNull(),
                s => s.Number.ShouldBeGreaterThan(Statement(proxied).Number)
            );
    }

    [Fact]
    public void Of_a_proxy_s_certificates_those_count_that_its_authority_issued_for_the_name_that_was_called()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var authority = Authority("CN=Office", key);
        using var strange = Authority("CN=Office", ECDsa.Create(ECCurve.NamedCurves.nistP256));
        using var good = Issue(authority, ServerUse);
        using var foreign = Issue(strange, ServerUse);
        using var client = Issue(authority, ClientUse);
        var told = new TlsStatement(1, [], new ProxyTrust([Convert.ToBase64String(authority.RawData)]));
        told.Trusts(good, SslPolicyErrors.RemoteCertificateChainErrors, []).ShouldBeTrue();
        told.Trusts(good, SslPolicyErrors.RemoteCertificateNameMismatch, []).ShouldBeFalse("another host's");
        told.Trusts(foreign, SslPolicyErrors.RemoteCertificateChainErrors, [strange])
            .ShouldBeFalse("another's of that name");
        told.Trusts(client, SslPolicyErrors.RemoteCertificateChainErrors, []).ShouldBeFalse("it is not a server's");

        var anyhow = new TlsStatement(1, [], new ProxyTrust([]));
        anyhow.Trusts(good, SslPolicyErrors.None, []).ShouldBeTrue();
        anyhow.Trusts(good, SslPolicyErrors.RemoteCertificateChainErrors, []).ShouldBeFalse();
        new TlsStatement(1, []).Trusts(good, SslPolicyErrors.None, []).ShouldBeFalse("nobody told of a proxy");
    }

    private const string ServerUse = "1.3.6.1.5.5.7.3.1",
        ClientUse = "1.3.6.1.5.5.7.3.2";

    private static X509Certificate2 Authority(string name, ECDsa key)
    {
        var asked = new CertificateRequest(name, key, HashAlgorithmName.SHA256);
        asked.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
        return asked.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(90));
    }

    private static X509Certificate2 Issue(X509Certificate2 authority, string use)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var asked = new CertificateRequest("CN=proxy", key, HashAlgorithmName.SHA256);
        asked.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid(use)], false));
        return asked.Create(authority, authority.NotBefore, authority.NotAfter, [1, 2, 3]);
    }

    [Fact]
    public void A_damaged_file_is_told_with_what_to_do()
    {
        using (Open()) { }
        File.WriteAllText(Kept, "{\"Number\":1}");
        Should.Throw<IOException>(() => Open()).Message.ShouldContain("Move it away");
    }

    private string Kept => Path.Combine(_folder, TlsKeys.FileName);

    private TlsKeys Open(Proxy? proxy = null) =>
        new(new ServiceOptions(_folder, 0) { Proxy = proxy }, _identity, _clock);

    private TlsStatement Statement(TlsKeys keys) => TlsStatement.Read(_identity.Public, keys.Statement);

    private static string KeyShown(TlsKeys keys) =>
        TlsStatement.KeyOf(keys.Server.ServerCertificateContext!.TargetCertificate);

    private string Certificate(ECDsa key, bool named, int days)
    {
        var request = new CertificateRequest("CN=furlough", key, HashAlgorithmName.SHA256);
        if (named)
        {
            var names = new SubjectAlternativeNameBuilder();
            names.AddDnsName("furlough.fen.example");
            request.CertificateExtensions.Add(names.Build());
        }
        var now = _clock.GetUtcNow();
        using var made = request.CreateSelfSigned(now.AddDays(-100), now.AddDays(days));
        return made.ExportCertificatePem();
    }
}
