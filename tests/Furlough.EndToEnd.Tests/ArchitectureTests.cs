using System.Reflection;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class ArchitectureTests
{
    [Theory]
    [InlineData("Furlough.Model", "")]
    [InlineData("Furlough.Engine", "Furlough.Model System.IO.Hashing")]
    [InlineData("Furlough.Planning", "Furlough.Model YamlDotNet Ical.Net")]
    [InlineData("Furlough.Protocol", "Furlough.Model BouncyCastle.Cryptography")]
    [InlineData("Furlough.Platform", "Furlough.Model Furlough.Engine")]
    [InlineData("Furlough.Station", "Furlough.Model Furlough.Engine")]
    public void Each_part_refers_only_to_what_the_design_allows(string part, string allowed)
    {
        var foreign = Assembly
            .Load(part)
            .GetReferencedAssemblies()
            .Select(a => a.Name!)
            .Where(n =>
                !n.StartsWith("System", StringComparison.Ordinal)
                    && !n.StartsWith("Microsoft.Win32", StringComparison.Ordinal)
                || n == "System.IO.Hashing"
            )
            .Except(allowed.Split(' '));
        foreign.ShouldBeEmpty();
    }

    [Theory]
    [InlineData("Furlough.Model")]
    [InlineData("Furlough.Engine")]
    [InlineData("Furlough.Planning")]
    public void Core_has_no_process_network_or_console(string part) =>
        Assembly
            .Load(part)
            .GetReferencedAssemblies()
            .Select(a => a.Name!)
            .ShouldNotContain(n =>
                n.StartsWith("System.Net", StringComparison.Ordinal)
                || n == "System.Diagnostics.Process"
                || n == "System.Console"
            );
}
