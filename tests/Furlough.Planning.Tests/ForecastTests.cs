using Furlough.Model;
using Furlough.Planning.Forecasts;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

public sealed class ForecastTests
{
    private static readonly Cost True = new(4, 1 / 60e6, 1 / 90.0),
        Usual = UsualCost.Of(new MediaPair(Medium.Solid, Attachment.Internal, Medium.Rotating, Attachment.Internal));

    [Fact]
    public void A_cost_is_found_again_from_what_was_shown()
    {
        var fit = CostFitting.Fit(
            [.. Some(40, new Random(1)).Select(s => s with { Seconds = True.Of(s.Bytes, s.Files) })],
            Usual
        );
        foreach (var s in Some(50, new Random(2)))
            fit.Cost.Of(s.Bytes, s.Files).ShouldBe(True.Of(s.Bytes, s.Files), 0.05 * True.Of(s.Bytes, s.Files));
        fit.Rests.ShouldBe(40);
    }

    [Fact]
    public void A_fifth_of_busy_disks_does_not_bend_it()
    {
        var random = new Random(3);
        var shown = Some(40, random)
            .Select(
                (s, i) =>
                    s with
                    {
                        Seconds = True.Of(s.Bytes, s.Files) * (i % 5 == 0 ? 6 : 0.95 + 0.1 * random.NextDouble()),
                    }
            )
            .ToList();
        var fit = CostFitting.Fit(shown, Usual);
        foreach (var s in Some(50, new Random(4)))
            fit.Cost.Of(s.Bytes, s.Files).ShouldBe(True.Of(s.Bytes, s.Files), 0.12 * True.Of(s.Bytes, s.Files));
    }

    [Fact]
    public void Nine_of_ten_stay_below_the_high_figure()
    {
        var random = new Random(5);
        Shown Noisy(Shown s) =>
            s with
            {
                Seconds =
                    True.Of(s.Bytes, s.Files)
                    * Math.Exp(0.3 * (random.NextDouble() + random.NextDouble() + random.NextDouble() - 1.5)),
            };
        var fit = CostFitting.Fit([.. Some(60, random).Select(Noisy)], Usual);
        var later = Some(400, random).Select(Noisy).ToList();
        later.Count(s => s.Seconds <= fit.Cost.Of(s.Bytes, s.Files) * fit.HighFactor).ShouldBeInRange(340, 400);
    }

    [Fact]
    public void Nothing_shown_gives_the_usual_cost_and_one_relocation_bends_it_half_way_at_least()
    {
        CostFitting.Fit([], Usual).ShouldBe(new FittedCost(Usual, CostFitting.UsualHighFactor, 0));
        var one = CostFitting.Fit([new Shown(10 * GB, 1_000, 3 * Usual.Of(10 * GB, 1_000))], Usual);
        (one.Cost.Of(10 * GB, 1_000) / Usual.Of(10 * GB, 1_000)).ShouldBeInRange(2.5, 3.1);
    }

    /// <summary>
    /// As measured on loop volumes held to 20, 50 and 120 MB/s; the usual cost of such media is far off.
    /// </summary>
    [Theory]
    [InlineData(20e6)]
    [InlineData(50e6)]
    [InlineData(120e6)]
    public void Three_relocations_teach_a_speed_that_is_far_from_the_usual_one(double speed)
    {
        var held = new Cost(0.3, 2 / speed, 1 / 2_000.0);
        List<Shown> shown =
        [
            .. new[] { (Bytes: 22_000_000L, Files: 401L), (84_000_000, 22), (101_000_000, 156) }.Select(s => new Shown(
                s.Bytes,
                s.Files,
                held.Of(s.Bytes, s.Files)
            )),
        ];
        foreach (
            var usual in (ReadOnlySpan<Cost>)
                [
                    UsualCost.Of(new MediaPair(Medium.Solid, Attachment.Internal, Medium.Solid, Attachment.Internal)),
                    Usual,
                ]
        )
        {
            var cost = CostFitting.Fit(shown, usual).Cost;
            foreach (var (bytes, files) in (ReadOnlySpan<(long, long)>)[(189_000_000, 3), (294_000_000, 314)])
                cost.Of(bytes, files).ShouldBe(held.Of(bytes, files), 0.25 * held.Of(bytes, files));
        }
    }

    [Fact]
    public void Rooms_of_other_hardware_are_told_apart_after_one_wave()
    {
        var random = new Random(6);
        var pair = new MediaPair(Medium.Rotating, Attachment.Internal, Medium.Rotating, Attachment.Internal);
        List<Carried> carried = [];
        foreach (var (room, slow) in (ReadOnlySpan<(string, double)>)[("Map Room", 1), ("Wet Lab", 2.5)])
            for (var i = 0; i < 12; i++)
            {
                var s = Some(1, random)[0];
                carried.Add(
                    new Carried(
                        room,
                        Guid.NewGuid(),
                        pair,
                        s.Bytes,
                        s.Files,
                        slow * True.Of(s.Bytes, s.Files) * (0.9 + 0.2 * random.NextDouble()),
                        2
                    )
                );
            }
        var experience = new Experience(carried);
        var volume = Data() with { Medium = Medium.Rotating };
        foreach (var (room, slow) in (ReadOnlySpan<(string, double)>)[("Map Room", 1), ("Wet Lab", 2.5)])
            experience
                .Of(Method.Cold, room, Guid.NewGuid(), volume, volume, 20 * GB, 2_000)
                .Work.Likely.TotalSeconds.ShouldBe(
                    slow * True.Of(20 * GB, 2_000) + 2,
                    0.15 * slow * True.Of(20 * GB, 2_000)
                );
    }

    [Fact]
    public void A_warm_relocation_keeps_people_out_for_a_small_part_and_an_exchange_hardly_at_all()
    {
        RelocationForecast Of(Method method) =>
            Experience.None.Of(method, "Map Room", Guid.NewGuid(), Small(), Data(), 50 * GB, 10_000);
        Of(Method.Cold).Outage.ShouldBe(Of(Method.Cold).Work);
        Of(Method.Warm).Outage.Likely.ShouldBeLessThan(Of(Method.Warm).Work.Likely / 10);
        Of(Method.Exchange).Work.Likely.ShouldBeLessThan(TimeSpan.FromSeconds(10));
        Of(Method.Cold).Work.High.ShouldBeGreaterThan(Of(Method.Cold).Work.Likely);
    }

    [Fact]
    public void Under_a_limit_the_bytes_pass_twice_at_its_pace_unless_the_disks_are_slower_still()
    {
        RelocationForecast Of(Method method, long? limit) =>
            Experience.None.Of(method, "Map Room", Guid.NewGuid(), Small(), Data(), 50 * GB, 1_000, limit);
        var (free, held) = (
            Of(Method.Cold, null).Work.Likely.TotalSeconds,
            Of(Method.Cold, 10_000_000).Work.Likely.TotalSeconds
        );
        held.ShouldBe(2 * 5_000 + 2, 1);
        Of(Method.Cold, 100 * GB).ShouldBe(Of(Method.Cold, null));
        free.ShouldBeLessThan(held);
        Of(Method.Warm, 10_000_000).Outage.Likely.TotalSeconds.ShouldBe(0.02 * 10_000 + 2, 1);
        Of(Method.Exchange, 1).Work.Likely.TotalSeconds.ShouldBe(2);
    }

    private static List<Shown> Some(int count, Random random) =>
        [
            .. Enumerable
                .Range(0, count)
                .Select(_ => new Shown(
                    (long)(GB * Math.Exp(4 * random.NextDouble())),
                    (long)(20 * Math.Exp(7 * random.NextDouble())),
                    0
                )),
        ];
}

public sealed class SpaceTimelineTests
{
    private static readonly TimeSpan Hour = TimeSpan.FromHours(1),
        Week = TimeSpan.FromDays(7);

    [Fact]
    public void A_copy_takes_space_at_once_and_its_source_gets_it_back_after_the_keeping_time()
    {
        List<SpaceTimeline.Change> changes =
        [
            new("Pictures of asa.lind", "sys", "data", 31 * GB, 30 * GB, Hour, Week),
            new("Music of asa.lind", "sys", "data", 5 * GB, 5 * GB, Hour, Week),
        ];
        SpaceTimeline
            .Of(Data(), changes, null)
            .Select(p => (p.What, p.After, p.FreeBytes / GB))
            .ShouldBe([
                ("now", TimeSpan.Zero, 500),
                ("Pictures of asa.lind is copied", Hour, 469),
                ("Music of asa.lind is copied", 2 * Hour, 464),
            ]);
        SpaceTimeline
            .Of(Small(), changes, null)
            .Select(p => (p.What, p.After, p.FreeBytes / GB))
            .ShouldBe([
                ("now", TimeSpan.Zero, 40),
                ("the original of Pictures of asa.lind is discarded", Hour + Week, 70),
                ("the original of Music of asa.lind is discarded", 2 * Hour + Week, 75),
            ]);
    }

    [Fact]
    public void An_original_that_is_kept_longer_gives_its_space_back_later()
    {
        List<SpaceTimeline.Change> changes =
        [
            new("Pictures of asa.lind", "sys", "data", 31 * GB, 30 * GB, Hour, 2 * Week),
            new("Music of asa.lind", "sys", "data", 5 * GB, 5 * GB, Hour, Week),
        ];
        SpaceTimeline
            .Of(Small(), changes, null)
            .Select(p => (p.What, p.After, p.FreeBytes / GB))
            .ShouldBe([
                ("now", TimeSpan.Zero, 40),
                ("the original of Music of asa.lind is discarded", 2 * Hour + Week, 45),
                ("the original of Pictures of asa.lind is discarded", Hour + 2 * Week, 75),
            ]);
        SpaceTimeline.Of(Small(), changes, new Growth(GB, GB, GB, 60, 60))[^1].After.ShouldBe(Hour + 2 * Week);
    }

    [Fact]
    public void The_lowest_point_of_a_volume_that_fills_up_lies_just_before_its_space_is_given_back()
    {
        var points = SpaceTimeline.Of(
            Small(),
            [new("Pictures of asa.lind", "sys", "data", 31 * GB, 30 * GB, TimeSpan.Zero, Week)],
            new Growth(2 * GB, GB, 3 * GB, 60, 60)
        );
        var lowest = SpaceTimeline.Lowest(points);
        (lowest.What, lowest.FreeBytes).ShouldBe(("before the original of Pictures of asa.lind is discarded", 26 * GB));
        points[^1].FreeBytes.ShouldBe(56 * GB);
    }

    [Fact]
    public void What_is_renamed_takes_nothing_and_a_shrinking_volume_is_not_counted_on()
    {
        SpaceTimeline
            .Of(
                Data(),
                [new("Pictures of asa.lind", "data", "data", 0, 0, Hour, Week)],
                new Growth(-5 * GB, 0, 0, 60, 60)
            )
            .Count.ShouldBe(1);
    }
}
