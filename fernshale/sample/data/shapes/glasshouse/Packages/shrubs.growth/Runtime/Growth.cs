using Pellicor;

namespace Shrubs
{
    /// <summary>Lets plants grow.</summary>
    public sealed class Growth : Part
    {
        public float Speed = 0.2f;

        public override void Step(float seconds)
        {
            Place.Scale += Speed * seconds;
        }
    }
}
