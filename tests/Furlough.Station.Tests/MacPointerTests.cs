using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Mac;
using Furlough.Station.World;
using Shouldly;
using Xunit;

namespace Furlough.Station.Tests;

/// <summary>
/// The macOS pointers, against the commands of the Heron desk: what every pointer promises, and what only commands can
/// do wrong.
/// </summary>
public sealed class MacPointerTests : IDisposable
{
    private const string Domain = "station.specimen-viewer",
        Key = "IndexPath";
    private static readonly KindCard Card = new(
        "specimen-index",
        "Index",
        [],
        [new(CardPointer.Preference, Domain, Key, PointerShape.Folder, null)]
    );
    private static readonly MachineSpec Spec = FieldStation.Make(2, 7)[1];
    private static readonly string Keeper = Spec.Accounts[0].Name,
        Person = Spec.Accounts[1].Name;

    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-station-").FullName;
    private readonly StationMachine _machine;
    private readonly Meddling _commands;
    private readonly MacPointers _pointers;

    public MacPointerTests()
    {
        _machine = Open();
        _commands = new Meddling(new StationCommands(_machine));
        _pointers = new MacPointers(_commands, _machine.Volumes);
    }

    public void Dispose()
    {
        _machine.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    public static TheoryData<string> Kinds() => ["home", "preference"];

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_value_is_changed_led_back_and_nothing_else_differs_I6(string kind)
    {
        var address = Address(kind);
        Ask(Person, "/usr/bin/defaults", "write", Domain, "Magnification", "-int", "40");
        Ask(Person, "/usr/bin/defaults", "write", Domain, "Last words", "-string", " <&> ");
        var (old, before) = (_pointers.Read(address), Everything());
        var next = _pointers.Spell(address, Target("It's <new> & spaced"), old);
        next.Text.ShouldBe("/Volumes/Data/People/It's <new> & spaced");
        _pointers.Swap(address, old, next);
        _pointers.Read(address).ShouldBe(next);
        _pointers.Leads(address, next).ShouldBe(next.Text);
        Everything().ShouldNotBe(before);
        _pointers.Swap(address, next, old);
        Everything().ShouldBe(before);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_value_that_somebody_else_changed_is_refused_and_stands_I6(string kind)
    {
        var address = Address(kind);
        var old = _pointers.Read(address);
        Set(kind, "/Volumes/Data/Elsewhere");
        Should
            .Throw<Fault>(() => _pointers.Swap(address, old, old with { Text = "/Volumes/Data/Other" }))
            .Kind.Code.ShouldBe("pointer-changed");
        _pointers.Read(address).Text.ShouldBe("/Volumes/Data/Elsewhere");
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void An_account_that_is_not_there_is_told(string kind)
    {
        foreach (var account in (string[])["nobody.here", "", "../keeper", "a/b"])
            Should
                .Throw<Fault>(() => _pointers.Read(Address(kind) with { Account = account }))
                .Kind.Code.ShouldBe("account-missing");
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_command_that_fails_is_told_in_its_own_words_and_the_former_value_stands(string kind)
    {
        var address = Address(kind);
        var old = _pointers.Read(address);
        _commands.Refuse = c => c.Contains("-change") || c.Contains("write");
        Should
            .Throw<Fault>(() => _pointers.Swap(address, old, old with { Text = "/Volumes/Data/Other" }))
            .ShouldSatisfyAllConditions(
                f => f.Kind.Code.ShouldEndWith("command-failed"),
                f => f.Message.ShouldContain("not today")
            );
        _pointers.Read(address).ShouldBe(old);
    }

    [Fact]
    public void Of_two_who_change_a_home_at_once_the_directory_service_takes_one()
    {
        var address = Address("home");
        var old = _pointers.Read(address);
        _commands.Before = c =>
        {
            if (c.Contains("-change"))
                Set("home", "/Volumes/Data/Elsewhere");
        };
        Should
            .Throw<Fault>(() => _pointers.Swap(address, old, old with { Text = "/Volumes/Data/Other" }))
            .Kind.Code.ShouldBe("pointer-changed");
        _pointers.Read(address).Text.ShouldBe("/Volumes/Data/Elsewhere");
    }

    [Fact]
    public void A_preference_that_was_not_there_is_taken_away_again()
    {
        var address = Address("preference") with { Key = "Further" };
        _pointers.Read(address).ShouldBe(PointerValue.Absent);
        var (next, before) = (new PointerValue("text", "/Volumes/Data/Further"), Everything());
        _pointers.Swap(address, PointerValue.Absent, next);
        _pointers.Read(address).ShouldBe(next);
        _pointers.Swap(address, next, PointerValue.Absent);
        Everything().ShouldBe(before);
    }

    [Fact]
    public void A_preference_of_another_type_and_an_answer_that_is_no_list_are_refused()
    {
        var (home, preference) = (Address("home"), Address("preference"));
        Ask(Person, "/usr/bin/defaults", "write", Domain, Key, "-int", "40");
        Should
            .Throw<Fault>(() => _pointers.Read(preference))
            .ShouldSatisfyAllConditions(
                f => f.Kind.Code.ShouldBe("settings-not-understood"),
                f => f.Message.ShouldContain("integer")
            );
        _commands.Says = new CommandAnswer(0, "<plist><dict><key>", "");
        foreach (var address in (PointerAddress[])[home, preference])
            Should.Throw<Fault>(() => _pointers.Read(address)).Kind.Code.ShouldBe("settings-not-understood");
    }

    [Fact]
    public void Homes_and_preferences_lead_elsewhere_after_a_relocation_and_back_after_its_return_also_on_a_machine_started_anew()
    {
        var (before, journal, seen) = (Everything(), new MemoryJournal(), new Recorder());
        foreach (
            var (account, name, path) in (ReadOnlySpan<(string, string, string)>)
                [(Person, "specimen-index", "Indexes/plates"), (Keeper, HoldingName.WholeHome, "Homes/of one")]
        )
        {
            var docket = Dockets.Relocate(Survey(), name, path, account: account);
            Carry(docket).ShouldBe(RelocationState.Switched, seen.Last.Failure?.ToString());
            using (var again = Open(copy: true))
                again.Pointers.Read(docket.Pointers[0].Address).Text.ShouldBe($"/Volumes/Data/{path}");
            Everything().ShouldNotBe(before);
            Carry(Dockets.Return(seen.Last)).ShouldBe(RelocationState.Returned, seen.Last.Failure?.ToString());
            Everything().ShouldBe(before);
        }

        RelocationState Carry(Docket docket) =>
            new RelocationEngine(_machine, journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(
                docket,
                seen,
                CancellationToken.None
            );
    }

    private PointerAddress Address(string kind) =>
        Survey()
            .Holdings.First(h =>
                h.Name.Account == Person && h.Name.Kind.Word() == (kind == "home" ? "home" : "library")
            )
            .Pointers.Single()
            .Address;

    private Survey Survey() => _machine.Surveyor.Take([Card], [], _ => false, CancellationToken.None);

    private Place Target(string name) => new(_machine.VolumeStates[1].Identity.Key, $"People/{name}");

    /// <summary>Someone changes it manually.</summary>
    private void Set(string kind, string text)
    {
        if (kind == "home")
            Ask("", "/usr/bin/dscl", ".", "-change", $"/Users/{Person}", "NFSHomeDirectory", HomeOf(Person), text);
        else
            Ask(Person, "/usr/bin/defaults", "write", Domain, Key, "-string", text);
    }

    private string HomeOf(string account) =>
        Ask("", "/usr/bin/dscl", ".", "-read", $"/Users/{account}", "NFSHomeDirectory")["NFSHomeDirectory:".Length..]
            .Trim();

    private string Everything() =>
        HomeOf(Person) + HomeOf(Keeper) + Ask(Person, "/usr/bin/defaults", "export", Domain, "-");

    private string Ask(string account, params string[] command)
    {
        var answer = new StationCommands(_machine).Run(account, command);
        answer.Exit.ShouldBe(0, answer.Error);
        return answer.Output;
    }

    /// <summary>The machine; or as its log has it now.</summary>
    private StationMachine Open(bool copy = false)
    {
        var folder = copy ? Directory.CreateDirectory(Path.Combine(_folder, "again")).FullName : _folder;
        if (copy)
            File.Copy(Path.Combine(_folder, "world.log"), Path.Combine(folder, "world.log"), overwrite: true);
        return new StationMachine(Spec, folder, new StationClock(1e9), (commands, volumes) =>
            new MacPointers(commands, volumes)
        );
    }

    /// <summary>Someone stands between the pointers and the commands.</summary>
    private sealed class Meddling(ICommands inner) : ICommands
    {
        internal Func<IReadOnlyList<string>, bool> Refuse { get; set; } = _ => false;

        internal Action<IReadOnlyList<string>> Before { get; set; } = _ => { };

        internal CommandAnswer? Says { get; set; }

        public CommandAnswer Run(string account, IReadOnlyList<string> command)
        {
            Before(command);
            return Refuse(command) ? new CommandAnswer(1, "", "not today") : Says ?? inner.Run(account, command);
        }
    }
}
