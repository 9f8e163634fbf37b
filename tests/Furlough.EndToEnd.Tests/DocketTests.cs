using System.Text;
using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class DocketTests
{
    private static readonly Guid Machine = Guid.CreateVersion7();
    private static readonly DateTimeOffset Now = new(2026, 11, 24, 12, 0, 0, TimeSpan.Zero);
    private readonly SigningKey _key = SigningKey.Make();

    [Fact]
    public void A_good_docket_is_accepted() => Open(Signed()).Relocation.ShouldBe(7);

    [Fact]
    public void A_docket_with_a_changed_byte_is_refused_wherever_it_was_changed()
    {
        var message = Signed();
        for (var i = 0; i < message.Length; i += 7)
        {
            var changed = new StringBuilder(message) { [i] = message[i] == 'A' ? 'B' : 'A' }.ToString();
            if (changed == message || OnlySpareBits(message, i))
                continue;
            Should.Throw<SignatureException>(() => Open(changed), $"changed at {i}");
        }
    }

    [Fact]
    public void A_docket_that_was_seen_or_is_older_than_one_seen_is_refused() =>
        Refusal(Signed(), supersession: 3).ShouldContain("seen before");

    [Fact]
    public void An_expired_docket_is_refused() =>
        Refusal(Signed(d => d with { NotAfter = Now.AddSeconds(-1) })).ShouldContain("expired");

    [Fact]
    public void A_docket_from_the_future_is_refused() =>
        Refusal(Signed(d => d with { NotBefore = Now.AddHours(1) })).ShouldContain("not valid before");

    [Theory]
    [InlineData(-10)]
    [InlineData(10)]
    public void On_a_machine_whose_clock_is_wrong_by_ten_years_nothing_is_discarded_I10(int years) =>
        Should
            .Throw<SignatureException>(() =>
                DocketCheck.Open(
                    _key.Public,
                    Signed(d => d with { Work = DocketWork.Discard, Originals = [Guid.NewGuid()] }),
                    Machine,
                    Now.AddYears(years),
                    _ => 0
                )
            )
            .Message.ShouldContain("clock");

    [Fact]
    public void A_docket_for_another_machine_is_refused() =>
        Refusal(Signed(d => d with { Machine = Guid.NewGuid() })).ShouldContain("another machine");

    [Fact]
    public void A_docket_of_another_service_is_refused() =>
        Should.Throw<SignatureException>(() =>
            DocketCheck.Open(SigningKey.Make().Public, Signed(), Machine, Now, _ => 0)
        );

    [Fact]
    public void A_permit_never_passes_for_a_docket() =>
        Refusal(
                Jws.Sign(
                    _key,
                    MessageType.Permit,
                    JsonSerializer.SerializeToUtf8Bytes(Docket(), ModelJson.Default.Docket)
                )
            )
            .ShouldContain("is a furlough-permit");

    [Theory]
    [InlineData("")]
    [InlineData("a.b")]
    [InlineData("....")]
    [InlineData("e30.e30.e30")]
    public void What_is_no_docket_is_refused(string message) => Should.Throw<SignatureException>(() => Open(message));

    private Docket Open(string message, int supersession = 0) =>
        DocketCheck.Open(_key.Public, message, Machine, Now, _ => supersession);

    private string Refusal(string message, int supersession = 0) =>
        Should.Throw<SignatureException>(() => Open(message, supersession)).Message;

    private string Signed(Func<Docket, Docket>? change = null) =>
        Jws.Sign(
            _key,
            MessageType.Docket,
            JsonSerializer.SerializeToUtf8Bytes((change ?? (d => d))(Docket()), ModelJson.Default.Docket)
        );

    private static Docket Docket() =>
        new()
        {
            Id = Guid.CreateVersion7(),
            Relocation = 7,
            Machine = Machine,
            Supersession = 3,
            NotBefore = Now.AddHours(-1),
            NotAfter = Now.AddHours(1),
            Work = DocketWork.Relocate,
            Method = Method.Cold,
            Holding = new HoldingName("asa.lind", HoldingKind.Folder, "Documents"),
            AccountId = "1701",
            Source = new Place("a", "x"),
            Target = new Place("b", "y"),
            SourceVolume = new VolumeIdentity("a", ""),
            TargetVolume = new VolumeIdentity("b", ""),
            OwnedFrom = 1,
            Pointers = [],
            Files = 1,
            DataBytes = 1,
            Originals = [],
            Supersedes = [],
            Terms = Terms.Plain,
        };

    /// <summary>The last character of a base64url part may hold bits that mean nothing.</summary>
    private static bool OnlySpareBits(string message, int at) => at + 1 == message.Length || message[at + 1] == '.';
}
