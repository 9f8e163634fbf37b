using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>Leave for work that someone asks for at the machine itself.</summary>
internal sealed class EveryPermit : IPermits
{
    public PermitAnswer Await(Docket docket, TimeSpan? most, Action waiting, CancellationToken stop) =>
        PermitAnswer.Granted;

    public Wish WishOf(Guid docket) => Wish.GoOn;

    public bool Holds(Guid docket) => true;
}

/// <summary>Remembers the last change of such work.</summary>
internal sealed class LastChange : IWatcher
{
    internal RelocationChange? Change { get; private set; }

    public void Changed(RelocationChange change) => Change = change;

    public void Progressed(Progress progress) { }
}

/// <summary>Signs receipts with the agent's key.</summary>
internal sealed class ReceiptSigner(SigningKey key) : IReceiptSigner
{
    public string Sign(ReadOnlySpan<byte> bytes) => System.Buffers.Text.Base64Url.EncodeToString(key.Sign(bytes));
}
