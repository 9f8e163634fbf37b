using Furlough.Planning.Histories;
using Shouldly;
using Xunit;

namespace Furlough.Planning.Tests;

public sealed class HistoryTests
{
    private const long GB = 1_000_000_000;
    private static readonly DateTimeOffset Begin = new(2026, 9, 1, 20, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData(0.5)]
    [InlineData(0)]
    [InlineData(-0.25)]
    public void A_steady_slope_is_found_as_it_is(double gigabytesPerDay)
    {
        var growth = GrowthEstimate.Of(Days(40, d => 100 + gigabytesPerDay * d), [])!;
        growth.BytesPerDay.ShouldBe(gigabytesPerDay * GB, 1);
        growth.LowBytesPerDay.ShouldBe(gigabytesPerDay * GB, 1);
        (growth.Days, growth.Samples).ShouldBe((39, 40));
    }

    [Fact]
    public void Large_copies_that_come_and_go_do_not_bend_the_slope()
    {
        var growth = GrowthEstimate.Of(
            Days(60, d => 100 + 0.5 * d + 0.4 * Math.Sin(7 * d) + (d % 13 == 5 ? 80 : 0)),
            []
        )!;
        growth.BytesPerDay.ShouldBe(0.5 * GB, 0.02 * GB);
        growth.LowBytesPerDay.ShouldBeLessThan(growth.BytesPerDay);
        growth.HighBytesPerDay.ShouldBeGreaterThan(growth.BytesPerDay);
    }

    [Fact]
    public void What_Furlough_itself_moved_says_nothing_about_growth()
    {
        var samples = Days(20, d => d < 10 ? 300 + 0.5 * d : 50 + 0.5 * d);
        GrowthEstimate.Of(samples, [])!.BytesPerDay.ShouldBeLessThan(-5 * GB);
        GrowthEstimate.Of(samples, [Begin.AddDays(9.5)])!.BytesPerDay.ShouldBe(0.5 * GB, 1);
    }

    [Fact]
    public void Nine_of_ten_intervals_hold_the_true_slope()
    {
        var random = new Random(7);
        var held = Enumerable
            .Range(0, 300)
            .Count(_ =>
            {
                var growth = GrowthEstimate.Of(
                    Days(30, d =>
                        100 + 0.4 * d + 2 * (random.NextDouble() + random.NextDouble() + random.NextDouble() - 1.5)
                    ),
                    []
                )!;
                return growth.LowBytesPerDay <= 0.4 * GB && growth.HighBytesPerDay >= 0.4 * GB;
            });
        held.ShouldBeInRange(258, 282);
    }

    [Fact]
    public void Many_surveys_of_one_busy_day_do_not_outweigh_weeks()
    {
        var busy = Enumerable
            .Range(0, 48)
            .Select(i => new SpaceSample(Begin.AddDays(29).AddMinutes(-30 * i), (long)((114.5 + i) * GB)));
        GrowthEstimate.Of(Days(30, d => 100 + 0.5 * d).Concat(busy), [])!.BytesPerDay.ShouldBe(0.5 * GB, 0.1 * GB);
    }

    [Fact]
    public void A_short_history_says_nothing()
    {
        GrowthEstimate.Of(Days(3, d => d), []).ShouldBeNull();
        GrowthEstimate
            .Of(Enumerable.Range(0, 20).Select(i => new SpaceSample(Begin.AddHours(i), i)), [])
            .ShouldBeNull();
    }

    [Fact]
    public void A_history_is_thinned_with_age_and_keeps_its_newest()
    {
        var now = Begin.AddDays(1_000);
        List<DateTimeOffset> moments = [.. Enumerable.Range(0, 24_000).Select(h => now.AddHours(-h))];
        var kept = moments.Except(Thinning.Surplus(moments, now)).ToList();
        kept.Count(m => now - m <= TimeSpan.FromDays(2)).ShouldBe(49);
        kept.Count(m => now - m > TimeSpan.FromDays(2) && now - m <= TimeSpan.FromDays(90)).ShouldBeInRange(87, 89);
        kept.Count(m => now - m > TimeSpan.FromDays(90)).ShouldBeInRange(90, 93);
        kept.ShouldAllBe(m => now - m <= TimeSpan.FromDays(730));
        Thinning.Surplus(kept, now).ShouldBeEmpty("thinned once, it stays as it is");
        Thinning.Surplus([now.AddDays(-5_000)], now).ShouldBeEmpty("the newest of all stays");
    }

    private static List<SpaceSample> Days(int count, Func<int, double> gigabytes) =>
        [.. Enumerable.Range(0, count).Select(d => new SpaceSample(Begin.AddDays(d), (long)(gigabytes(d) * GB)))];
}
