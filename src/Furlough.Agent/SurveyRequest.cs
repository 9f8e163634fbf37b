namespace Furlough.Agent;

/// <summary>The service's last request for a survey. Only a survey that is begun after it arrived answers it.</summary>
internal sealed class SurveyRequest
{
    private readonly Lock _lock = new();
    private long? _open,
        _answering;

    /// <summary>The service needs a survey.</summary>
    /// <returns>Whether one must be begun for it.</returns>
    internal bool Heard(long request)
    {
        lock (_lock)
        {
            if (request == _open || request == _answering)
                return false;
            _open = request;
            return true;
        }
    }

    /// <summary>A survey is begun; the request that it answers, or null.</summary>
    internal long? Begin()
    {
        lock (_lock)
        {
            (_answering, _open) = (_open, null);
            return _answering;
        }
    }

    /// <summary>
    /// The survey that was begun has reached the service, or never will: what the service still asks for is another
    /// one.
    /// </summary>
    internal void End()
    {
        lock (_lock)
            _answering = null;
    }
}
