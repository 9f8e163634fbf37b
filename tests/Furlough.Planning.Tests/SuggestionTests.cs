using Furlough.Model;
using Furlough.Planning.Suggestions;
using Shouldly;
using Xunit;

namespace Furlough.Planning.Tests;

public sealed class SuggestionTests
{
    [Fact]
    public void One_large_holding_of_one_person_is_less_disturbing_than_many_small_ones_of_several()
    {
        var answer = Suggester.Solve(
            new Question(50, [Of("asa.lind", 60, 9), Of("bo.tarrant", 30, 2), Of("cleo.vasher", 30, 2)], [1_000], 10)
        );
        answer.Best!.Chosen.Select(c => c.Candidate).ShouldBe([0]);
        answer.Best.Disturbance.ShouldBe(19);
        answer.NextBest!.Chosen.Select(c => c.Candidate).ShouldBe([1, 2]);
        (answer.Reached, answer.Gap).ShouldBe((true, 0));
    }

    [Fact]
    public void Two_holdings_of_one_person_are_less_disturbing_than_one_each_of_two() =>
        Suggester
            .Solve(
                new Question(50, [Of("asa.lind", 25, 6), Of("asa.lind", 25, 6), Of("bo.tarrant", 25, 2)], [1_000], 10)
            )
            .Best!.Chosen.Select(c => c.Candidate)
            .ShouldBe([0, 1]);

    [Fact]
    public void A_target_that_is_too_small_is_passed_over()
    {
        var question = new Question(
            50,
            [new Candidate(Name("asa.lind", 0), 60, [new Way(0, 60, 1), new Way(1, 60, 5)])],
            [40, 100],
            10
        );
        Suggester.Solve(question).Best!.Chosen.ShouldBe([(0, 1)]);
    }

    [Fact]
    public void A_goal_out_of_reach_is_said_with_what_can_be_freed()
    {
        var answer = Suggester.Solve(
            new Question(
                100,
                [Of("asa.lind", 30, 1), Of("bo.tarrant", 20, 1), new Candidate(Name("cleo.vasher", 1), 500, [])],
                [1_000],
                10
            )
        );
        (answer.Reached, answer.Best!.FreesBytes, answer.Gap).ShouldBe((false, 50, 0));
        Suggester.Solve(new Question(10, [], [1_000], 10)).ShouldBe(new Answer(null, null, false, 0));
    }

    [Fact]
    public void A_thousand_random_small_machines_are_answered_as_trying_everything_does()
    {
        for (var seed = 0; seed < 1_000; seed++)
        {
            var question = Small(new Random(seed));
            var (first, second) = TryEverything(question);
            var answer = Suggester.Solve(question);
            answer.Reached.ShouldBe(first < double.PositiveInfinity, $"seed {seed}");
            if (!answer.Reached)
                continue;
            answer.Gap.ShouldBe(0, $"seed {seed}");
            answer.Best!.Disturbance.ShouldBe(first, 1e-6, $"seed {seed}");
            Worth(question, answer.Best).ShouldBe(first, 1e-6, $"seed {seed}: the choice is what it says");
            (answer.NextBest?.Disturbance ?? -1).ShouldBe(
                double.IsInfinity(second) ? -1 : second,
                1e-6,
                $"seed {seed}: next best"
            );
        }
    }

    [Fact]
    public void A_machine_with_many_holdings_is_answered_within_the_limit_and_says_how_far_off_it_may_be()
    {
        var random = new Random(9);
        var question = new Question(
            2_000,
            [
                .. Enumerable
                    .Range(0, 60)
                    .Select(i => Of($"person-{i % 12}", random.Next(10, 200), random.Next(1, 40), i)),
            ],
            [100_000],
            15
        );
        var answer = Suggester.Solve(question);
        answer.Reached.ShouldBeTrue();
        answer.Gap!.Value.ShouldBeInRange(0, 0.2);
        Worth(question, answer.Best!).ShouldBe(answer.Best!.Disturbance, 1e-6);
    }

    private static HoldingName Name(string account, int number) => new(account, HoldingKind.Folder, $"Folder {number}");

    private static Candidate Of(string account, long bytes, double disturbance, int number = 0) =>
        new(Name(account, number), bytes, [new Way(0, bytes, disturbance)]);

    private static Question Small(Random random)
    {
        var candidates = Enumerable
            .Range(0, random.Next(1, 8))
            .Select(i =>
            {
                var bytes = random.Next(1, 60);
                return new Candidate(
                    Name($"person-{random.Next(3)}", i),
                    bytes,
                    [
                        .. Enumerable
                            .Range(0, random.Next(0, 3))
                            .Select(t => new Way(t, bytes + random.Next(5), 1 + random.Next(30))),
                    ]
                );
            })
            .ToList();
        return new Question(
            random.Next(1, 150),
            candidates,
            [random.Next(20, 150), random.Next(20, 150)],
            random.Next(0, 20)
        );
    }

    /// <summary>
    /// The least disturbance of all choices, and of all further ones without a part that is not needed.
    /// </summary>
    private static (double First, double Second) TryEverything(Question question)
    {
        Dictionary<string, double> best = [];
        var ways = new int[question.Candidates.Count];
        Try(0);
        var sorted = best.Values.Order().ToList();
        return (
            sorted.Count > 0 ? sorted[0] : double.PositiveInfinity,
            sorted.Count > 1 ? sorted[1] : double.PositiveInfinity
        );

        void Try(int at)
        {
            if (at < ways.Length)
            {
                for (ways[at] = -1; ways[at] < question.Candidates[at].Ways.Count; ways[at]++)
                    Try(at + 1);
                return;
            }
            var chosen = Enumerable.Range(0, ways.Length).Where(i => ways[i] >= 0).ToList();
            var freed = chosen.Sum(i => question.Candidates[i].FreesBytes);
            if (
                freed < question.FreeBytes
                || chosen.Any(i => freed - question.Candidates[i].FreesBytes >= question.FreeBytes)
            )
                return;
            for (var t = 0; t < question.RoomBytes.Count; t++)
                if (
                    chosen
                        .Where(i => question.Candidates[i].Ways[ways[i]].Target == t)
                        .Sum(i => question.Candidates[i].Ways[ways[i]].TakesBytes) > question.RoomBytes[t]
                )
                    return;
            var key = string.Join(',', chosen);
            var worth = Worth(question, new Choice([.. chosen.Select(i => (i, ways[i]))], freed, 0));
            if (!best.TryGetValue(key, out var before) || worth < before)
                best[key] = worth;
        }
    }

    private static double Worth(Question question, Choice choice) =>
        choice.Chosen.Sum(c => question.Candidates[c.Candidate].Ways[c.Way].Disturbance)
        + question.PersonCosts
            * choice.Chosen.Select(c => question.Candidates[c.Candidate].Holding.Account).Distinct().Count();
}
