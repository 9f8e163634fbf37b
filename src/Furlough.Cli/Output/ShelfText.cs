using System.Text;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Output;

/// <summary>
/// The shelf drawing in text: as long as the volume, a block for what lives on it, outlined what is planned, hatched
/// what is kept.
/// </summary>
internal static class ShelfText
{
    private static bool Unicode => Terminal.Output.Encoding.CodePage is 65001 or 1200;

    /// <summary>The marks: live, planned, original, free, reserve, unmanaged.</summary>
    private static (char Live, char Planned, char Original, char Free, char Reserve, char Other) Marks =>
        Unicode ? ('█', '┄', '▞', '·', '┤', '▒') : ('#', '.', '/', ' ', ']', '=');

    /// <summary>What the marks mean.</summary>
    internal static string Legend =>
        $"{Marks.Live} live  {Marks.Planned} planned  {Marks.Original} original  {Marks.Other} everything else  "
        + $"{Marks.Free} free  {Marks.Reserve} reserve";

    /// <summary>Draws a shelf.</summary>
    internal static string Draw(ShelfSums shelf, int width)
    {
        if (shelf.SizeBytes <= 0)
            return new string(' ', width);
        var text = new StringBuilder();
        Add(Math.Max(0, shelf.SizeBytes - shelf.FreeBytes - shelf.LiveBytes - shelf.OriginalBytes), Marks.Other);
        Add(shelf.LiveBytes, Marks.Live);
        Add(shelf.OriginalBytes, Marks.Original);
        Add(Math.Min(shelf.PlannedBytes, shelf.FreeBytes), Marks.Planned);
        if (text.Length > width)
            text.Length = width;
        text.Append(Marks.Free, width - text.Length);
        if (shelf.ReserveBytes > 0)
            text[
                Math.Clamp((int)Math.Round((1 - (double)shelf.ReserveBytes / shelf.SizeBytes) * width), 0, width - 1)
            ] = Marks.Reserve;
        return text.ToString();

        void Add(long bytes, char mark)
        {
            if (bytes > 0)
                text.Append(
                    mark,
                    (int)
                        Math.Max(
                            bytes * 100 > shelf.SizeBytes ? 1 : 0,
                            Math.Round((double)bytes / shelf.SizeBytes * width)
                        )
                );
        }
    }

    /// <summary>Standing as shape and word.</summary>
    internal static string Show(this Standing standing) =>
        (Unicode ? standing.Shape().ToString() : "*") + " " + standing.Word();
}
