namespace Furlough.Planning.Suggestions;

/// <summary>
/// Finds the least disturbing choice that frees enough, exactly, by branch and bound. The bound is the fractional
/// solution: candidates by disturbance for each byte freed, the last one in part, with what an account costs at all
/// spread over everything it could free. No true choice is cheaper, because a choice of an account's candidates pays
/// that cost whole and frees at most everything.
/// </summary>
public sealed class Suggester
{
    private const int MostNodes = 20_000;
    private const double Least = 1e-9;

    private readonly Question _question;
    private readonly int[] _account;
    private readonly double[] _cheapest;
    private readonly bool[] _decided;
    private readonly int[] _way;
    private readonly long[] _room;
    private readonly int[] _touched;
    private readonly long[] _accountFrees;
    private Choice? _best,
        _next;
    private double _open = double.PositiveInfinity;
    private int _nodes;

    private Suggester(Question question)
    {
        _question = question;
        var accounts = question.Candidates.Select(c => c.Holding.Account).Distinct().ToList();
        _account = [.. question.Candidates.Select(c => accounts.IndexOf(c.Holding.Account))];
        _cheapest =
        [
            .. question.Candidates.Select(c =>
                c.Ways.Count == 0 ? double.PositiveInfinity : c.Ways.Min(w => w.Disturbance)
            ),
        ];
        _decided = [.. question.Candidates.Select(c => c.Ways.Count == 0 || c.FreesBytes <= 0)];
        _way = [.. Enumerable.Repeat(-1, question.Candidates.Count)];
        _room = [.. question.RoomBytes];
        _touched = new int[accounts.Count];
        _accountFrees = new long[accounts.Count];
    }

    /// <summary>Answers one machine's question.</summary>
    public static Answer Solve(Question question)
    {
        var search = new Suggester(question);
        search.Search(0, 0);
        if (search._best is { } best)
            return new Answer(best, search._next, true, search.GapOf(best));
        var most = Most(question);
        return most?.FreesBytes >= question.FreeBytes
            ? new Answer(most, null, true, search.GapOf(most))
            : new Answer(most, null, false, search._nodes > MostNodes ? null : 0);
    }

    private double GapOf(Choice choice) =>
        _open >= choice.Disturbance - Least ? 0 : (choice.Disturbance - _open) / choice.Disturbance;

    private void Search(long freed, double disturbance)
    {
        if (freed >= _question.FreeBytes)
        {
            Offer(freed, disturbance);
            return;
        }
        var (bound, branch) = Bound(_question.FreeBytes - freed, disturbance);
        // A second choice is looked for as well: only what is worse than both is left.
        if (branch < 0 || (_next is not null && bound >= _next.Disturbance - Least))
            return;
        if (++_nodes > MostNodes)
        {
            _open = Math.Min(_open, bound);
            return;
        }
        var candidate = _question.Candidates[branch];
        var account = _account[branch];
        _decided[branch] = true;
        foreach (var way in Enumerable.Range(0, candidate.Ways.Count).OrderBy(w => candidate.Ways[w].Disturbance))
        {
            var (target, takes, costs) = (
                candidate.Ways[way].Target,
                candidate.Ways[way].TakesBytes,
                candidate.Ways[way].Disturbance
            );
            if (_room[target] < takes)
                continue;
            _room[target] -= takes;
            _way[branch] = way;
            var person = _touched[account]++ == 0 ? _question.PersonCosts : 0;
            Search(freed + candidate.FreesBytes, disturbance + costs + person);
            _touched[account]--;
            _way[branch] = -1;
            _room[target] += takes;
        }
        Search(freed, disturbance);
        _decided[branch] = false;
    }

    /// <summary>
    /// The least that freeing so much more may cost, and the candidate to decide next: the best value of those left.
    /// None when it cannot be freed.
    /// </summary>
    private (double Bound, int Branch) Bound(long need, double disturbance)
    {
        Array.Clear(_accountFrees);
        for (var i = 0; i < _decided.Length; i++)
            if (!_decided[i])
                _accountFrees[_account[i]] += _question.Candidates[i].FreesBytes;
        var left = new List<(double Rate, int Candidate)>(_decided.Length);
        for (var i = 0; i < _decided.Length; i++)
        {
            if (_decided[i])
                continue;
            var frees = _question.Candidates[i].FreesBytes;
            var person = _touched[_account[i]] > 0 ? 0 : _question.PersonCosts * frees / _accountFrees[_account[i]];
            left.Add(((_cheapest[i] + person) / frees, i));
        }
        if (left.Count == 0)
            return (double.PositiveInfinity, -1);
        left.Sort();
        foreach (var (rate, candidate) in left)
        {
            var frees = _question.Candidates[candidate].FreesBytes;
            if (frees >= need)
                return (disturbance + rate * need, left[0].Candidate);
            disturbance += rate * frees;
            need -= frees;
        }
        return (double.PositiveInfinity, -1);
    }

    private void Offer(long freed, double disturbance)
    {
        var chosen = Enumerable.Range(0, _way.Length).Where(i => _way[i] >= 0).Select(i => (i, _way[i])).ToList();
        // A choice with a part that is not needed is not a choice of its own.
        if (chosen.Any(c => freed - _question.Candidates[c.i].FreesBytes >= _question.FreeBytes))
            return;
        var choice = new Choice(chosen, freed, disturbance);
        if (_best is null || disturbance < _best.Disturbance - Least)
        {
            if (_best is not null && !Same(_best, choice))
                _next = _best;
            _best = choice;
        }
        else if (!Same(_best, choice) && (_next is null || disturbance < _next.Disturbance - Least))
            _next = choice;
    }

    private static bool Same(Choice a, Choice b) =>
        a.Chosen.Select(c => c.Candidate).SequenceEqual(b.Chosen.Select(c => c.Candidate));

    /// <summary>Where the goal cannot be reached: what frees much, the largest that still fits first.</summary>
    private static Choice? Most(Question question)
    {
        var room = question.RoomBytes.ToArray();
        List<(int, int)> chosen = [];
        var (freed, disturbance) = (0L, 0.0);
        HashSet<string> touched = [];
        foreach (
            var (candidate, number) in question
                .Candidates.Select((c, i) => (c, i))
                .OrderByDescending(c => c.c.FreesBytes)
                .ThenBy(c => c.i)
        )
        {
            if (candidate.FreesBytes <= 0)
                continue;
            var way = Enumerable
                .Range(0, candidate.Ways.Count)
                .Where(w => room[candidate.Ways[w].Target] >= candidate.Ways[w].TakesBytes)
                .OrderBy(w => candidate.Ways[w].Disturbance)
                .Cast<int?>()
                .FirstOrDefault();
            if (way is not { } w)
                continue;
            room[candidate.Ways[w].Target] -= candidate.Ways[w].TakesBytes;
            chosen.Add((number, w));
            freed += candidate.FreesBytes;
            disturbance +=
                candidate.Ways[w].Disturbance + (touched.Add(candidate.Holding.Account) ? question.PersonCosts : 0);
        }
        return chosen.Count == 0 ? null : new Choice([.. chosen.OrderBy(c => c.Item1)], freed, disturbance);
    }
}
