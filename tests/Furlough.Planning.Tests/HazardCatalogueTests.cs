using System.Reflection;
using System.Text;
using Furlough.Model;
using Furlough.Planning.Hazards;
using Shouldly;
using Xunit;

namespace Furlough.Planning.Tests;

/// <summary>The test makes plans with these hazards.</summary>
[AttributeUsage(AttributeTargets.Method)]
internal sealed class ShowsAttribute(params string[] codes) : Attribute
{
    public string[] Codes { get; } = codes;
}

public sealed class HazardCatalogueTests
{
    [Fact]
    public void Every_entry_is_found_by_a_test_that_looks_for_it()
    {
        foreach (var test in typeof(HazardCatalogueTests).Assembly.GetTypes().SelectMany(t => t.GetMethods()))
            if (test.GetCustomAttribute<ShowsAttribute>() is { } shows)
                shows.Codes.Except(FoundBy(test)).ShouldBeEmpty(test.Name);
        Shown().Order().ShouldBe(HazardCatalogue.Entries.Select(e => e.Code).Order());
    }

    /// <summary>Those of tests that look for them by name, and those of the cases, each of which is a test.</summary>
    private static IEnumerable<string> Shown() =>
        typeof(HazardCatalogueTests)
            .Assembly.GetTypes()
            .SelectMany(t => t.GetMethods())
            .SelectMany(m => m.GetCustomAttribute<ShowsAttribute>()?.Codes ?? [])
            .Concat(PlanTests.HazardCases().Select(c => c.Data.Item1))
            .Distinct();

    /// <summary>The codes of the hazards in the plans that a test makes.</summary>
    private static IReadOnlyCollection<string> FoundBy(MethodInfo test)
    {
        var found = Desks.Found.Value = [];
        var rows = test.GetCustomAttributes<InlineDataAttribute>().Select(d => d.Data).DefaultIfEmpty([]);
        foreach (var row in rows)
            test.Invoke(Activator.CreateInstance(test.DeclaringType!), row);
        Desks.Found.Value = null;
        return found;
    }

    [Fact]
    public void The_documentation_has_every_entry()
    {
        var path = Path.Combine(Repository(), "docs", "hazards.md");
        if (Environment.GetEnvironmentVariable("FURLOUGH_WRITE_DOCS") is not null)
            File.WriteAllText(path, Documentation());
        File.ReadAllText(path).ShouldBe(Documentation(), "run `make docs`");
    }

    private static string Documentation()
    {
        var text = new StringBuilder(
            "# Hazards\n\nWhat a plan looks for on every machine and in every relocation. *Blocking* ones keep a "
                + "relocation from being carried out; for *consent* someone must accept the hazard\nwith name and "
                + "reason before the run starts; *advice* is only said. Written by `make docs` from the catalogue in "
                + "`src/core/Furlough.Planning/Hazards`.\n"
        );
        foreach (var severity in HazardCatalogue.Entries.GroupBy(e => e.Severity))
        {
            text.Append(
                $"\n## {char.ToUpperInvariant(severity.Key.Word()[0])}{severity.Key.Word()[1..]}\n\n| code | when "
                    + "| what to do |\n|---|---|---|\n"
            );
            foreach (var e in severity)
                text.Append($"| `{e.Code}` | {e.When}{AtSignIn(e)} | {e.Remedy} |\n");
        }
        return text.ToString();
    }

    private static string AtSignIn(HazardEntry entry) =>
        (entry as RelocationHazard)?.AtSignIn is { } severity
            ? $" {severity}, not {entry.Severity.Word()}, for folders that are needed at sign-in."
            : "";

    private static string Repository()
    {
        for (var at = new DirectoryInfo(AppContext.BaseDirectory); at is not null; at = at.Parent)
            if (File.Exists(Path.Combine(at.FullName, "Furlough.slnx")))
                return at.FullName;
        throw new InvalidOperationException("The repository was not found.");
    }
}
