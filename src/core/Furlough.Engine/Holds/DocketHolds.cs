using Furlough.Engine.Context;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Holds;

/// <summary>The holds of one docket: which are taken, and how what they hold was before.</summary>
public sealed class DocketHolds
{
    private static readonly TimeSpan LookAgain = TimeSpan.FromSeconds(1);

    private readonly StepContext _context;
    private readonly ProgramsHold _programs;

    /// <summary>In the order in which they are taken.</summary>
    private readonly IReadOnlyList<IHold> _all;

    internal DocketHolds(StepContext context)
    {
        _context = context;
        _programs = new ProgramsHold(context.Machine.Activity);
        _all = [new SignInHold(context.Machine.Activity), _programs];
    }

    private Docket Docket => _context.Docket;

    /// <summary>Whether one of them is taken.</summary>
    public bool Any => _all.Any(h => Taken(h) is not null);

    /// <summary>Whether all are taken that can be.</summary>
    public bool AreTaken => _all.All(h => Taken(h) is not null || h.Former(Docket) is null);

    /// <summary>Whether the account is locked out.</summary>
    public bool KeepsOut => KeepOut(_context.Journal.State);

    /// <summary>The same of a docket as its journal says.</summary>
    public static bool KeepOut(Ports.JournalState state) => state.Records.Has<HoldTaken>(SignInHold.Key);

    /// <summary>
    /// Takes them one after the other. How it was before is recorded first; then anyone who is in the way is waited for.
    /// </summary>
    /// <exception cref="Fault">Someone still is. What is taken stays taken.</exception>
    public void Take(Step step)
    {
        foreach (var hold in _all)
        {
            if (Taken(hold) is null && hold.Former(Docket) is { } former)
                _context.Journal.Record(new HoldTaken(hold.Name, former));
            if (Taken(hold) is not null)
                hold.Take(Docket);
            else if (hold.Without(Docket) is { } note)
                _context.Report.Add(note);
        }
        RequireNobody(step);
    }

    /// <summary>Releases them, the last one first, and puts back what was before.</summary>
    public void Release()
    {
        foreach (var hold in _all.Reverse())
        {
            if (Taken(hold) is not { } taken)
                continue;
            hold.Release(Docket, taken.Former);
            _context.Journal.Forget(taken);
        }
    }

    /// <summary>Who or what still uses the holding; null for nobody.</summary>
    public Fault? InTheWay()
    {
        var moving = _context.Procedure.Moving(_context);
        return _all.Select(h => h.InTheWay(Docket, moving)).FirstOrDefault(f => f is not null);
    }

    /// <summary>Which program must be closed before its settings change; null for none.</summary>
    public Fault? RunningProgram() => _programs.Running(Docket);

    /// <summary>Waits until nobody uses the holding, as long as the docket's terms say.</summary>
    /// <exception cref="Fault">Someone still does.</exception>
    public void RequireNobody(Step step) => RequireNone(step, InTheWay);

    /// <summary>The same of the program that must be closed before its settings change.</summary>
    /// <exception cref="Fault"><c>program-running</c></exception>
    public void RequireProgramClosed(Step step) => RequireNone(step, RunningProgram);

    private HoldTaken? Taken(IHold hold) => _context.Journal.Records.Find<HoldTaken>(hold.Name);

    private void RequireNone(Step step, Func<Fault?> inTheWay)
    {
        var waited = TimeSpan.Zero;
        for (var told = false; inTheWay() is { } why; told = true)
        {
            var left = Docket.Terms.FilesInUseWait - waited;
            if (left <= TimeSpan.Zero)
                throw why;
            if (!told)
                _context.Report.Waits(step, why);
            _context.Heed();
            var pause = left < LookAgain ? left : LookAgain;
            _context.Delay(pause);
            waited += pause;
        }
    }
}
