using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>What the built packages contain, as Debian's and the init system's own tools see it.</summary>
[Trait("Category", "long")]
public sealed class PackageContentTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-packages-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private static string Packages => $"{Field.Repository}/artifacts/packages";

    [Fact]
    public void The_release_key_has_signed_what_every_file_is_and_a_changed_one_is_found_out()
    {
        const string Verify =
            "openssl pkeyutl -verify -rawin -pubin -inkey release-key.pub.pem -in SHA256SUMS -sigfile SHA256SUMS.sig";
        LinuxTree.Sh($"cd {Packages} && {Verify} && sha256sum --quiet --strict -c SHA256SUMS");
        LinuxTree.Sh(
            $"cd {_folder} && cp {Packages}/SHA256SUMS* {Packages}/release-key.pub.pem . && echo ' ' >> SHA256SUMS && ! {Verify}"
        );
        var listed = File.ReadAllLines($"{Packages}/SHA256SUMS").Select(l => l[66..]);
        Directory
            .GetFiles(Packages)
            .Select(Path.GetFileName)
            .Where(f => f is not ("SHA256SUMS" or "SHA256SUMS.sig" or "release-key.pub.pem"))
            .ShouldBeSubsetOf(listed);
    }

    [Theory]
    [InlineData("furlough-0.1.0-linux-x64", "MailKit", "react", "Microsoft.AspNetCore.App")]
    [InlineData("furlough-agent-0.1.0-linux-x64", "BouncyCastle.Cryptography", "Microsoft.NETCore.App")]
    [InlineData("furlough-agent-0.1.0-win-x64", "System.ServiceProcess.ServiceController")]
    public void What_a_program_is_made_of_is_listed_with_versions_and_licences(string name, params string[] parts)
    {
        var sbom = JsonDocument.Parse(File.ReadAllText($"{Packages}/{name}.cdx.json")).RootElement;
        sbom.GetProperty("bomFormat").GetString().ShouldBe("CycloneDX");
        var components = sbom.GetProperty("components").EnumerateArray().ToList();
        components.ShouldAllBe(c =>
            c.GetProperty("version").GetString() != "" && c.GetProperty("licenses").GetArrayLength() > 0
        );
        var names = components.ConvertAll(c => c.GetProperty("name").GetString()!);
        parts.ShouldBeSubsetOf(names);
        names.ShouldNotContain("Microsoft.EntityFrameworkCore.Design", "it is not shipped");
    }

    [Theory]
    [InlineData("furlough")]
    [InlineData("furlough-agent")]
    public void The_package_keeps_to_Debian_s_rules_and_its_unit_to_the_init_system_s(string name)
    {
        var package = Directory
            .GetFiles($"{Field.Repository}/artifacts/packages", $"{name}_*_amd64.deb")
            .ShouldHaveSingleItem();
        LinuxTree
            .Sh($"lintian --allow-root --fail-on error,warning --tag-display-limit 0 {package} 2>&1 || true")
            .ShouldNotMatch("(?m)^[EW]: ");
        LinuxTree.Sh($"dpkg-deb -x {package} {_folder}");
        // Its programs are not where the unit looks for them on this machine.
        File.WriteAllText(
            $"{_folder}/{name}.service",
            File.ReadAllText($"{_folder}/usr/lib/systemd/system/{name}.service")
                .Replace("ExecStart=/usr", $"ExecStart={_folder}/usr", StringComparison.Ordinal)
        );
        LinuxTree
            .Sh($"systemd-analyze verify --man=no {_folder}/{name}.service 2>&1 || true")
            .Split('\n')
            .ShouldNotContain(line => line.Contains($"{name}.service", StringComparison.Ordinal));
    }
}
