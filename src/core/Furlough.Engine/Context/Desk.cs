using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>
/// The people at the machine, who are notified before they are locked out. A person is notified once for all dockets of
/// an account that follow one another, and may put the work off as often as the dockets allow. Nothing of it is kept:
/// after a restart of the agent people are notified again.
/// </summary>
public sealed class Desk(IActivity activity, TimeProvider time)
{
    /// <summary>A docket that comes longer than this after the last one is notified of again.</summary>
    private static readonly TimeSpan Remembered = TimeSpan.FromMinutes(30);

    private readonly Lock _lock = new();
    private readonly Dictionary<string, Call> _calls = [];

    private sealed class Call
    {
        public IShownNotice? Shown { get; set; }

        public DateTimeOffset Until { get; set; }

        public DateTimeOffset AskedAt { get; set; }

        public int PutOffs { get; set; }
    }

    /// <summary>What a docket waits for before its account is locked out; null for nothing.</summary>
    public Fault? Waits(Docket docket)
    {
        if (
            docket
            is not { Terms.Telling: { } telling, Told: { } told, Holding: { IsShared: false, Account: var account } }
        )
            return null;
        lock (_lock)
        {
            var now = time.GetUtcNow();
            var call = _calls.GetValueOrDefault(account);
            if (call is null || now - call.AskedAt > Remembered)
            {
                call?.Shown?.Dispose();
                _calls[account] = call = new Call();
                if (!Show(call))
                    return null;
            }
            else if (call.Shown?.IsPutOff == true)
            {
                call.PutOffs++;
                if (!Show(call))
                    return null;
            }
            else if (call.Shown?.HasLeft == true)
            {
                Forget(account);
                return null;
            }
            call.AskedAt = now;
            if (now < call.Until)
                return Faults.PersonTold(account, telling.Before, call.PutOffs, telling.PutOffs);
            call.Shown?.Dispose();
            call.Shown = null;
            return null;

            // Anyone who is not there is asked for again by the next docket.
            bool Show(Call call)
            {
                call.Shown?.Dispose();
                call.Shown = activity.Show(account, told, telling.Before, call.PutOffs < telling.PutOffs);
                call.Until = now + telling.Before;
                return call.Shown is not null || !_calls.Remove(account);
            }
        }
    }

    /// <summary>Takes what was shown away: the work does not begin now after all.</summary>
    public void Forget(string account)
    {
        lock (_lock)
            if (_calls.Remove(account, out var call))
                call.Shown?.Dispose();
    }
}
