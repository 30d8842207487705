using Pellicor;

public sealed class Door : Part
{
    public bool Open;
}
