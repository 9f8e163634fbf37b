using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Tests;

/// <summary>A simulated machine with one holding, an engine on it, and the questions that invariants ask.</summary>
internal sealed class Bench
{
    internal static readonly Place Source = new("system", "home/asa.lind/Pictures");

    internal Bench(int seed = 1, Method method = Method.Cold)
    {
        Machine = new SimulatedMachine(Disk);
        Docket = Make(method);
        Fill(new Random(seed));
        Before = Machine.Describe(Source);
        Journal.Before = what => Disk.Operate("journal " + what, "");
    }

    internal SimulatedDisk Disk { get; } = new();

    internal SimulatedMachine Machine { get; }

    internal MemoryJournal Journal { get; } = new();

    internal OpenPermits Permits { get; } = new();

    internal Recorder Recorder { get; } = new();

    internal Docket Docket { get; set; }

    internal string Before { get; }

    internal Place Target => Docket.Target;

    /// <summary>Runs the docket; null when the process crashed.</summary>
    internal RelocationState? Run()
    {
        try
        {
            return new RelocationEngine(Machine, Journal, Permits, new PlainSigner(), TimeProvider.System).Run(Docket, Recorder, CancellationToken.None);
        }
        catch (CrashException)
        {
            return null;
        }
    }

    /// <summary>I2: where the settings lead there is everything, whatever happened.</summary>
    internal string? LivePlaceFault()
    {
        var leads = new[] { Machine.Setting("one"), Machine.Setting("two") }.Distinct().ToList();
        foreach (var lead in leads)
        {
            var place = lead == Machine.Show(Source) ? Source : lead == Machine.Show(Target) ? Target : null;
            if (place is null) return $"a setting leads to {lead}";
            if (Machine.Describe(place) is var now && now != Before && !(Docket.Method == Method.Exchange && !Machine.SignInAllowed && ElsewhereIsComplete(place))) return $"{lead} is not complete:\n{now}\nexpected:\n{Before}";
        }
        return null;
    }

    /// <summary>While an exchange is between its rename and its pointers nobody is signed in, and the one folder stands at the other place.</summary>
    private bool ElsewhereIsComplete(Place place) => Machine.Describe(place == Source ? Target : Source) == Before;

    private static Docket Make(Method method) => new(Guid.CreateVersion7(), 1, Dockets.Machine, 1, DateTimeOffset.MinValue, DateTimeOffset.MaxValue, DocketWork.Relocate, method,
        new HoldingName("asa.lind", HoldingKind.Folder, "Pictures"), "1001", Source, new Place(method == Method.Exchange ? "system" : "data", "People/asa.lind/Pictures"),
        SimulatedMachine.System, method == Method.Exchange ? SimulatedMachine.System : SimulatedMachine.Data, 1,
        [new PointerChange(SimulatedMachine.Address("one"), new PointerValue("text", "/system/home/asa.lind/Pictures"), null), new PointerChange(SimulatedMachine.Address("two"), new PointerValue("text", "/system/home/asa.lind/Pictures"), null)], 10, 1000, [], []);

    private void Fill(Random random)
    {
        using var root = new SimulatedFolder(Disk, Disk.Root("system"), "");
        Disk.Root("data");
        using var home = root.MakeFolder("home", 0x1ED);
        using var account = home.MakeFolder("asa.lind", 0x1C0);
        using var folder = account.MakeFolder("Pictures", 0x1ED);
        Below(folder, 0);
        Machine.Setting("one", Machine.Show(Source));
        Machine.Setting("two", Machine.Show(Source));
        Disk.FlushVolume("system");

        void Below(IFolder at, int level)
        {
            for (var i = 0; i < 1 + random.Next(3); i++)
            {
                using var file = at.MakeFile($"plot-{i}");
                var content = new byte[random.Next(200)];
                random.NextBytes(content);
                file.Append(content);
                file.Apply(file.Facts() with { Mode = 0x1A4, Owner = 1001, Group = 1001, ModifiedNs = random.NextInt64(1_600_000_000_000_000_000) }, Attributes.None);
            }
            if (random.Next(2) == 0) at.MakeHardLink("further", at, "plot-0");
            if (random.Next(2) == 0) at.MakeLink("link", "../elsewhere");
            if (level < 2)
                for (var i = 0; i < random.Next(3); i++)
                {
                    using var inner = at.MakeFolder($"year-{i}", 0x1ED);
                    Below(inner, level + 1);
                }
            at.Apply(at.Facts() with { Owner = 1001, Group = 1001, ModifiedNs = random.NextInt64(1_600_000_000_000_000_000) }, Attributes.None);
        }
    }
}
